import type { Command } from 'commander';
import { decideSection, sectionsAt } from '../core/decide-section.js';
import { decide } from '../core/decide.js';
import type { Policy } from '../core/policy/types.js';
import { targetOf } from '../server/site-files.js';
import { filesOfSite } from './site-pages.js';
import { loadPolicy } from '../stores/policy-file.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { whenItCounts } from './site-log.js';
import { columns, counted, paint, print, printJson } from './output.js';

interface PlacesOptions extends CommonOptions {
  readonly folder?: string;
  readonly all?: boolean;
}

/** One address of the site, and what stands before it for a stranger. */
interface ListedPlace {
  readonly path: string;
  readonly kind: 'page' | 'file' | 'sitemap' | 'feed';
  /** The locks any of which opens it; none: it is open. */
  readonly locks: readonly string[];
  /** The places, as the policy writes them, by which those locks cover it. */
  readonly because: readonly string[];
  /** Its locked sections: `#id`, and the lock. */
  readonly sections: readonly { readonly id: string; readonly lock: string }[];
}

export function command(summary: string): Command {
  return makePolicyCommand('places', summary, 'dorlin places --all')
    .option('--folder <dir>', 'the folder of the site’s files')
    .option('--all', 'name every file, not only pages and what differs from its folder')
    .action(places);
}

async function places(options: PlacesOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const files = await filesOfSite(options.policy, policy, options.folder);
  const listed = files.map((path) => listPlace(policy, path));
  const locks = [...policy.locks.values()].map((lock) => ({
    name: lock.name,
    enabled: lock.enabled,
    covers: lock.covers.map(({ text }) => text),
    except: lock.except.map(({ text }) => text),
    passwords: lock.passwords.length,
    window: lock.window,
    addresses: listed.filter((place) => place.locks.includes(lock.name)).length,
  }));
  if (options.json === true) {
    printJson({
      site: policy.site.name,
      places: listed,
      locks: locks.map(({ window: { from, until }, ...lock }) => ({ ...lock, from, until })),
    });
    return;
  }
  const isEveryOpen = listed.filter((place) => place.locks.length === 0).length;
  const pages = listed.filter(({ kind }) => kind === 'page').length;
  print(
    `${paint.bold(policy.site.name)}: ${counted(pages, 'page')}, ${counted(listed.length, 'file')} in all, ` +
      `${isEveryOpen.toLocaleString('en')} open to everybody`,
  );
  print();
  print(columns(treeRows(listed, options.all === true)));
  print();
  for (const lock of locks) {
    const state = lock.enabled
      ? `${counted(lock.passwords, 'password')}, decides over ${counted(lock.addresses, 'file')}${whenItCounts(lock, policy.site.timeZone)}`
      : paint.yellow('switched off: it shuts nothing');
    const mark =
      lock.enabled && lock.addresses === 0 ? paint.yellow(' (no file of this site)') : '';
    print(`  ${paint.bold(lock.name)}: ${state}${mark}`);
  }
}

function listPlace(policy: Policy, path: string): ListedPlace {
  const target = targetOf(path);
  const now = Date.now() / 1000;
  const decision = decide(policy, { target, passes: [], now });
  const locks = decision.kind === 'shut' ? decision.locks : [];
  const read = policy.read(target);
  const because = (read.ok ? read.readings : [])
    .flatMap((reading) => policy.index.statements(reading))
    .filter(({ lock, says }) => says === 'covers' && locks.includes(lock))
    .map(({ place }) => place.text);
  return {
    path,
    kind: kindOf(policy, path),
    locks: locks.map(({ name }) => name),
    because: [...new Set(because)],
    sections: sectionsOf(policy, target, now),
  };
}

/** The sections of a page that strangers do not get, and what shuts them. */
function sectionsOf(policy: Policy, target: string, now: number): ListedPlace['sections'] {
  return [...sectionsAt(policy, target)].flatMap(([id, groups]) => {
    const decision = decideSection(groups, { passes: [], now });
    return decision.kind === 'shut' ? decision.locks.map(({ name }) => ({ id, lock: name })) : [];
  });
}

function kindOf(policy: Policy, path: string): ListedPlace['kind'] {
  if (policy.site.sitemaps.includes(path)) return 'sitemap';
  if (policy.site.feeds.includes(path)) return 'feed';
  return policy.site.extensions.some((end) => path.endsWith(end)) ? 'page' : 'file';
}

interface Folder {
  readonly name: string;
  readonly folders: Map<string, Folder>;
  readonly places: ListedPlace[];
}

/** The tree as rows of three columns: name, lock, and where that comes from. */
function treeRows(listed: readonly ListedPlace[], showsAll: boolean): string[][] {
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
  addFolder(root, '', '', showsAll, rows);
  return rows;
}

function addFolder(
  folder: Folder,
  lead: string,
  below: string,
  showsAll: boolean,
  rows: string[][],
) {
  const index = folder.places.find(({ path }) => path.endsWith('/index.html'));
  const isPlain = !showsAll && isAlike(folder) && !hasPages(folder);
  if (isPlain) {
    const all = allPlaces(folder);
    const name = `${folder.name} ${paint.dim(`(${counted(all.length, 'file')})`)}`;
    rows.push([paint.dim(lead) + name, ...standing(all[0])]);
    return;
  }
  rows.push([paint.dim(lead) + folder.name, ...(index === undefined ? ['', ''] : standing(index))]);
  const items: (Folder | ListedPlace)[] = [
    ...folder.places.filter((place) => place !== index),
    ...folder.folders.values(),
  ];
  items.forEach((item, at) => {
    const isLast = at === items.length - 1;
    const itemLead = `${below}${isLast ? '└─ ' : '├─ '}`;
    const itemBelow = `${below}${isLast ? '   ' : '│  '}`;
    if ('folders' in item) addFolder(item, itemLead, itemBelow, showsAll, rows);
    else {
      const name = item.path.slice(item.path.lastIndexOf('/') + 1);
      const kind =
        item.kind === 'sitemap' || item.kind === 'feed' ? paint.dim(` (${item.kind})`) : '';
      rows.push([paint.dim(itemLead) + name + kind, ...standing(item)]);
    }
  });
}

function standing(place: ListedPlace | undefined): [string, string] {
  if (place === undefined) return ['', ''];
  const sections = place.sections.map(({ id, lock }) => `#${id} under ${paint.red(lock)}`);
  const because = place.locks.length === 0 ? [] : [paint.dim(`by ${place.because.join(', ')}`)];
  const locks =
    place.locks.length === 0 ? paint.green('open') : paint.red(place.locks.join(' or '));
  return [locks, [...because, ...sections].join(', ')];
}

function allPlaces(folder: Folder): ListedPlace[] {
  return [...folder.places, ...[...folder.folders.values()].flatMap(allPlaces)];
}

const hasPages = (folder: Folder) => allPlaces(folder).some(({ kind }) => kind !== 'file');
const isAlike = (folder: Folder) =>
  new Set(
    allPlaces(folder).map(({ locks, because, sections }) =>
      [...locks, ...because, ...sections.map(({ id }) => id)].join(),
    ),
  ).size === 1;
