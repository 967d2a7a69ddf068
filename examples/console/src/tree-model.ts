import type { CallResult } from './api.js';

export type Outcome = CallResult<'view'>['places'][number]['outcome'];
type SeenPlace = CallResult<'view'>['places'][number];

/** One row of the tree: something that can be locked. */
export interface Row {
  /** The place as a policy writes it; also the row’s own name among all. */
  readonly place: string;
  readonly kind: 'site' | 'folder' | 'page' | 'file' | 'address' | 'section' | 'pattern';
  readonly name: string;
  readonly title: string;
  readonly level: number;
  readonly outcome: Outcome;
  readonly locks: readonly string[];
  readonly because: readonly string[];
  /** Locks that cover it and do not count. */
  readonly idle: readonly string[];
  readonly before: Outcome | undefined;
  /** Of folders: how many pages and files lie in them, and how many pages are got. */
  readonly pages: number;
  readonly files: number;
  readonly gets: number;
  readonly hasChildren: boolean;
  readonly posinset: number;
  readonly setsize: number;
}

interface Node {
  readonly part: string;
  readonly path: string;
  readonly children: Map<string, Node>;
  place: SeenPlace | undefined;
  /** Its front page, for a folder. */
  front: SeenPlace | undefined;
  pages: number;
  files: number;
  gets: number;
}

export const isGot = (outcome: Outcome): boolean => outcome === 'open' || outcome === 'let-in';

/** The address of a page as people write it: without an ending that may be left out. */
export const pagePath = (path: string): string => path.replace(/\.html?$/i, '') || '/';

const newNode = (part: string, path: string): Node => ({
  part,
  path,
  children: new Map(),
  place: undefined,
  front: undefined,
  pages: 0,
  files: 0,
  gets: 0,
});

/** The places of a view as a tree. */
export function treeOf(view: CallResult<'view'>): Node {
  const root = newNode('', '/');
  for (const place of view.places) {
    const parts = place.path.split('/').slice(1);
    const last = parts.pop() ?? '';
    const onTheWay = [root];
    let node = root;
    for (const part of parts) {
      let next = node.children.get(`${part}/`);
      if (next === undefined) node.children.set(`${part}/`, (next = newNode(part, `${node.path}${part}/`)));
      node = next;
      onTheWay.push(node);
    }
    for (const one of onTheWay) {
      if (place.kind === 'file') one.files++;
      else {
        one.pages++;
        if (isGot(place.outcome)) one.gets++;
      }
    }
    if (/^index\.html?$/i.test(last) && node.front === undefined) node.front = place;
    else {
      const leaf = newNode(last, place.path);
      leaf.place = place;
      node.children.set(last, leaf);
    }
  }
  return root;
}

/** What is to be seen of the tree. */
export interface Shown {
  readonly closed: ReadonlySet<string>;
  readonly search: string;
  readonly only: 'all' | 'locked' | 'got' | 'hidden' | 'idle' | 'changed';
}

/** The rows that are shown, top down. */
export function rowsOf(view: CallResult<'view'>, tree: Node, shown: Shown): Row[] {
  const rows: Row[] = [];
  const needle = shown.search.trim().toLowerCase();
  const isWanted = (place: SeenPlace) => {
    const outcomes = [place.outcome, ...(place.sections?.map(({ outcome }) => outcome) ?? [])];
    const fits =
      shown.only === 'all' ||
      (shown.only === 'locked' && outcomes.some((one) => !isGot(one))) ||
      (shown.only === 'got' && isGot(place.outcome)) ||
      (shown.only === 'hidden' && outcomes.includes('hidden')) ||
      (shown.only === 'idle' && [place, ...(place.sections ?? [])].some(({ idle }) => idle !== undefined)) ||
      (shown.only === 'changed' && place.before !== undefined);
    if (!fits) return false;
    return (
      needle === '' ||
      `${place.path} ${place.title ?? ''} ${[...(place.locks ?? []), ...(place.idle ?? [])].join(' ')}`
        .toLowerCase()
        .includes(needle)
    );
  };
  const isSearching = needle !== '' || shown.only !== 'all';
  const kept = new Map<Node, boolean>();
  const isKept = (node: Node): boolean => {
    const found = kept.get(node);
    if (found !== undefined) return found;
    let keeps = [node.place, node.front].some((place) => place !== undefined && isWanted(place));
    for (const child of node.children.values()) if (isKept(child)) keeps = true;
    kept.set(node, keeps);
    return keeps;
  };
  const common = {
    before: undefined,
    pages: 0,
    files: 0,
    gets: 0,
    hasChildren: false,
    because: [] as readonly string[],
    idle: [] as readonly string[],
  };
  const sections = (place: SeenPlace, level: number) => {
    const all = place.sections ?? [];
    all.forEach(({ id, title = 'a part of it', outcome, locks, idle = [] }, at) => {
      rows.push({
        ...common,
        place: `${placeOf(place)}#${id}`,
        kind: 'section',
        name: `#${id}`,
        title,
        level,
        outcome,
        locks,
        idle,
        posinset: at + 1,
        setsize: all.length,
      });
    });
  };
  const leaf = (place: SeenPlace, level: number, posinset: number, setsize: number, name?: string) => {
    rows.push({
      ...common,
      place: placeOf(place),
      kind: place.kind,
      name: name ?? lastPart(place.kind === 'file' ? place.path : pagePath(place.path)),
      title: titleOf(place, view),
      level,
      outcome: place.outcome,
      locks: place.locks ?? [],
      because: place.because ?? [],
      idle: place.idle ?? [],
      before: place.before,
      hasChildren: (place.sections?.length ?? 0) > 0,
      posinset,
      setsize,
    });
    sections(place, level + 1);
  };
  const visit = (node: Node, level: number) => {
    // Folders stand among pages, by their names; files below.
    const children = [...node.children.values()].filter(isKept);
    const rank = ({ place }: Node) => (place?.kind === 'file' ? 1 : 0);
    children.sort((one, other) => rank(one) - rank(other) || (one.part < other.part ? -1 : 1));
    const front = node.front !== undefined && isWanted(node.front) && node.path === '/' ? node.front : undefined;
    const setsize = children.length + (front === undefined ? 0 : 1);
    if (front !== undefined) leaf(front, level, 1, setsize, '/');
    children.forEach((child, at) => {
      const posinset = at + 1 + (front === undefined ? 0 : 1);
      if (child.place !== undefined) {
        leaf(child.place, level, posinset, setsize);
        return;
      }
      const from = child.front ?? child.place ?? firstIn(child);
      rows.push({
        ...common,
        place: child.path,
        kind: 'folder',
        name: `${child.part}/`,
        title: child.front === undefined ? '' : titleOf(child.front, view),
        level,
        outcome: from?.outcome ?? 'open',
        locks: from?.locks ?? [],
        because: from?.because ?? [],
        idle: from?.idle ?? [],
        before: from?.before,
        pages: child.pages,
        files: child.files,
        gets: child.gets,
        hasChildren: child.children.size > 0 || (child.front?.sections?.length ?? 0) > 0,
        posinset,
        setsize,
      });
      if (!isSearching && shown.closed.has(child.path)) return;
      if (child.front !== undefined) sections(child.front, level + 1);
      visit(child, level + 1);
    });
  };
  visit(tree, 1);
  const patterns = view.patterns.filter(
    ({ place, lock }) => needle === '' || `${place} ${lock}`.toLowerCase().includes(needle),
  );
  if (shown.only === 'all' || shown.only === 'locked') {
    patterns.forEach(({ place, lock, says }, at) => {
      rows.push({
        ...common,
        place,
        kind: 'pattern',
        name: place,
        title: says === 'covers' ? 'whatever fits this pattern' : 'left out of the lock',
        level: 1,
        outcome: says === 'covers' ? 'asked' : 'open',
        locks: [lock],
        posinset: at + 1,
        setsize: patterns.length,
      });
    });
  }
  return rows;
}

function firstIn(node: Node): SeenPlace | undefined {
  for (const child of node.children.values()) {
    const found = child.place ?? child.front ?? firstIn(child);
    if (found !== undefined) return found;
  }
  return undefined;
}

/** A place as a policy writes it; of the start page, its file, as `/` is the whole site. */
const placeOf = ({ kind, path }: SeenPlace): string => {
  if (kind === 'file' || path === '/index.html') return path;
  return pagePath(path).replace(/\/index$/i, '') || path;
};

const lastPart = (path: string): string => path.slice(path.lastIndexOf('/') + 1) || path;

/** The title of a page without the name of the site, which many have behind it. */
function titleOf({ title = '' }: SeenPlace, view: CallResult<'view'>): string {
  const site = view.site;
  const cut = title.split(/\s+[|·–—-]\s+/);
  return cut.length > 1 && cut.some((part) => part === site) ? cut.filter((part) => part !== site).join(' · ') : title;
}

/** Folders that are better shut at first: files alone, very many pages, and what lies deep in a large site. */
export function closedAtFirst(tree: Node): Set<string> {
  const closed = new Set<string>();
  const total = tree.pages + tree.files;
  const walk = (node: Node, depth: number) => {
    for (const child of node.children.values()) {
      if (child.place !== undefined) continue;
      const isDull = child.pages === 0 || child.children.size > 60;
      if (isDull || (total > 120 && depth >= 1) || (total > 1000 && depth >= 0)) closed.add(child.path);
      walk(child, depth + 1);
    }
  };
  walk(tree, 0);
  return closed;
}
