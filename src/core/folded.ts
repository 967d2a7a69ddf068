/** Something that was found somewhere, and what it is that makes it like others. */
export interface Foldable {
  /** An address or path. */
  readonly where: string;
  /** What is the same of all that may be told in one line; without it, it stands alone. */
  readonly cause: string | undefined;
}

/** Things that lie in one folder and have one cause. */
export interface Folded<Item> {
  readonly folder: string;
  readonly items: readonly [Item, ...Item[]];
  /** Whether they are told in one line: they are too many to be named one by one. */
  readonly isMany: boolean;
}

/** Fewer of one folder are told one by one. */
const fewest = 4;

/** Puts together what lies in one folder and has one cause, in the order in which it comes. */
export function folded<Item extends Foldable>(items: readonly Item[]): Folded<Item>[] {
  const groups = new Map<string, [Item, ...Item[]]>();
  items.forEach((item, at) => {
    const key = item.cause === undefined ? `alone ${at}` : `${folderOf(item.where)} ${item.cause}`;
    const group = groups.get(key);
    if (group === undefined) groups.set(key, [item]);
    else group.push(item);
  });
  return [...groups.values()].map((group) => ({
    folder: folderOf(group[0].where),
    items: group,
    isMany: group.length >= fewest,
  }));
}

/** The folder that an address lies in; of what is no address, itself. */
function folderOf(where: string): string {
  if (!where.startsWith('/')) return where;
  const path = where.split(/[?#]/, 1)[0] ?? where;
  return path.slice(0, path.lastIndexOf('/') + 1);
}

/** The first few names within a folder: `a.png, b.png, c.png`. */
export const examplesOf = ({ folder, items }: Folded<Foldable>): string =>
  items
    .slice(0, 3)
    .map(({ where }) => (where.startsWith(folder) ? where.slice(folder.length) || where : where))
    .join(', ');
