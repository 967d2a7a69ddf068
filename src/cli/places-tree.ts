import type { ListedPlace } from '../owner/places.js';
import { counted, paint } from './output.js';

interface Folder {
  readonly name: string;
  readonly folders: Map<string, Folder>;
  readonly places: ListedPlace[];
}

/** More files than these that stand alike are one line. */
const mostAlike = 12;

/** The tree as rows of three columns: name, lock, and where that comes from. */
export function treeRows(listed: readonly ListedPlace[], showsAll: boolean): string[][] {
  const root: Folder = { name: '/', folders: new Map(), places: [] };
  for (const place of listed) {
    const names = place.path.split('/').slice(1, -1);
    let folder = root;
    for (const name of names) {
      let next = folder.folders.get(name);
      if (next === undefined) {
        folder.folders.set(name, (next = { name: `${name}/`, folders: new Map(), places: [] }));
      }
      folder = next;
    }
    folder.places.push(place);
  }
  const rows: string[][] = [];
  addFolder(onlyFolder(root), '', '', showsAll, rows);
  return rows;
}

/** The deepest folder that all of it lies in: what is above that has nothing to say. */
function onlyFolder(folder: Folder): Folder {
  const [only, ...others] = folder.folders.values();
  if (only === undefined || others.length > 0 || folder.places.length > 0) return folder;
  return onlyFolder({ ...only, name: folder.name + only.name });
}

function addFolder(folder: Folder, lead: string, below: string, showsAll: boolean, rows: string[][]): void {
  const all = allPlaces(folder);
  const isFolded = !showsAll && isAlike(all) && (!hasPages(folder) || (lead !== '' && all.length > mostAlike));
  if (isFolded) {
    rows.push([paint.dim(lead) + folder.name + paint.dim(` (${countWords(all)})`), ...standing(all[0])]);
    return;
  }
  const index = folder.places.find(({ path }) => path.endsWith('/index.html'));
  rows.push([paint.dim(lead) + folder.name, ...(index === undefined ? ['', ''] : standing(index))]);
  const others = folder.places.filter((place) => place !== index);
  const [shown, groups] = showsAll ? [others, []] : grouped(others);
  const items: (Folder | ListedPlace | readonly ListedPlace[])[] = [...shown, ...groups, ...folder.folders.values()];
  items.forEach((item, at) => {
    const isLast = at === items.length - 1;
    const itemLead = `${below}${isLast ? '└─ ' : '├─ '}`;
    const itemBelow = `${below}${isLast ? '   ' : '│  '}`;
    if ('folders' in item) addFolder(item, itemLead, itemBelow, showsAll, rows);
    else if ('path' in item) rows.push([paint.dim(itemLead) + nameOf(item), ...standing(item)]);
    else rows.push([paint.dim(`${itemLead}${countWords(item)}`), ...standing(item[0])]);
  });
}

/** Files of one folder: those that are told one by one, and those that are many and stand alike. */
function grouped(places: readonly ListedPlace[]): [ListedPlace[], ListedPlace[][]] {
  const alike = new Map<string, ListedPlace[]>();
  for (const place of places) alike.set(keyOf(place), [...(alike.get(keyOf(place)) ?? []), place]);
  const isMany = (place: ListedPlace) => (alike.get(keyOf(place)) ?? []).length > mostAlike;
  const groups = [...alike.values()].filter((group) => group.length > mostAlike);
  return [places.filter((place) => !isMany(place)), groups];
}

function nameOf({ path, kind }: ListedPlace): string {
  const name = path.slice(path.lastIndexOf('/') + 1);
  return name + (kind === 'sitemap' || kind === 'feed' ? paint.dim(` (${kind})`) : '');
}

function countWords(places: readonly ListedPlace[]): string {
  const pages = places.filter(({ kind }) => kind === 'page').length;
  return pages === places.length ? counted(pages, 'page') : counted(places.length, 'file');
}

function standing(place: ListedPlace | undefined): [string, string] {
  if (place === undefined) return ['', ''];
  const sections = place.sections.map(({ id, lock }) => `#${id} under ${paint.red(lock)}`);
  const because = place.locks.length === 0 ? [] : [paint.dim(`by ${place.because.join(', ')}`)];
  const locks = place.locks.length === 0 ? paint.green('open') : paint.red(place.locks.join(' or '));
  const idle =
    place.idle.length === 0 ? [] : [paint.yellow(`${place.idle.join(', ')} would cover it, and does not count now`)];
  const idleParts = place.idleSections.map(({ id, lock }) =>
    paint.yellow(`#${id}: ${lock} would cover it, and does not count now`),
  );
  return [locks, [...because, ...idle, ...sections, ...idleParts].join('; ')];
}

const allPlaces = (folder: Folder): ListedPlace[] => [
  ...folder.places,
  ...[...folder.folders.values()].flatMap(allPlaces),
];

const hasPages = (folder: Folder) => allPlaces(folder).some(({ kind }) => kind !== 'file');

/** What a place says beside its name. */
const keyOf = ({ locks, because, idle, sections, idleSections, kind }: ListedPlace) =>
  [
    ...locks,
    ...because,
    '',
    ...idle,
    '',
    ...sections.map(({ id }) => id),
    '',
    ...idleSections.map(({ id }) => id),
    kind === 'sitemap' || kind === 'feed',
  ].join();

const isAlike = (places: readonly ListedPlace[]) => new Set(places.map(keyOf)).size === 1;
