import type { Policy } from '../core/policy/types.js';
import type { PolicyEditor } from '../core/policy/editor.js';
import type { PatrolCode } from './finding-table.js';
import type { PatrolFinding } from './finding.js';

/** One change of a policy, with the address that it closes or has filtered. */
export type ProposedChange =
  /** Puts a place under a lock. */
  | { readonly kind: 'cover'; readonly lock: string; readonly place: string }
  /** Names a sitemap or feed, so that it is sent without what is locked. */
  | { readonly kind: 'sitemaps' | 'feeds'; readonly place: string };

export interface Proposal {
  readonly changes: readonly ProposedChange[];
  /** What no change of a policy can mend: it is to be done at the site. */
  readonly byHand: readonly PatrolFinding[];
}

/** Findings of open files, which are mended by putting the file under the lock. */
const coverable: ReadonlySet<PatrolCode> = new Set([
  'file-beside-open',
  'page-beside-open',
  'file-copy-open',
  'picture-copy-open',
  'copy-open',
  'words-in-search-index',
  'words-in-data-file',
  'words-in-page-data',
  'words-in-source-map',
] satisfies PatrolCode[]);

/** Of these, it has to be a file: a page is shut as a whole by hand, if at all. */
const asFilesAlone: ReadonlySet<PatrolCode> = new Set([
  'words-in-page-data',
  'words-in-source-map',
  'words-in-data-file',
  'words-in-search-index',
] satisfies PatrolCode[]);

const listingKeys: Readonly<Partial<Record<PatrolCode, 'sitemaps' | 'feeds'>>> = {
  'sitemap-names-locked': 'sitemaps',
  'feed-names-locked': 'feeds',
  'words-in-feed': 'feeds',
};

/** The lock of files that hold what several locks cover: nobody gets them, as nobody may get all. */
export const keptBack = 'kept-back';

/** The change of a policy that would close what a patrol found. */
export function proposeChange(policy: Policy, findings: readonly PatrolFinding[]): Proposal {
  const locksOfPlace = new Map<string, Set<string>>();
  const listings = new Map<string, 'sitemaps' | 'feeds'>();
  const byHand: PatrolFinding[] = [];
  for (const finding of findings) {
    const { code, lock, cases } = finding;
    const left = cases.filter(({ where, isFile }) => {
      const place = placeAt(policy, where);
      // What the policy shuts already, and is open all the same, is no matter of the policy.
      if (place === undefined || isShut(policy, where)) return true;
      const key = listingKeys[code];
      if (key !== undefined) {
        if (policy.site[key].includes(place)) return true;
        listings.set(place, key);
        return false;
      }
      const mayCover = coverable.has(code) && (isFile === true || !asFilesAlone.has(code));
      if (!mayCover || !policy.locks.has(lock)) return true;
      locksOfPlace.set(place, (locksOfPlace.get(place) ?? new Set()).add(lock));
      return false;
    });
    if (left.length > 0) byHand.push({ ...finding, cases: left });
  }
  const covers = [...locksOfPlace].map(([place, locks]): ProposedChange => {
    const [first = keptBack, ...others] = locks;
    return { kind: 'cover', lock: others.length === 0 ? first : keptBack, place };
  });
  const named = [...listings].map(([place, kind]): ProposedChange => ({ kind, place }));
  return { changes: [...covers, ...named], byHand };
}

/** Makes the changes. What is covered already, or named, stays as it is. */
export function applyProposal(editor: PolicyEditor, changes: readonly ProposedChange[]): void {
  const isKeptBack = changes.some((one) => one.kind === 'cover' && one.lock === keptBack);
  if (isKeptBack && !editor.before.locks.has(keptBack)) {
    editor.addLock(keptBack);
    editor.set(['locks', keptBack, 'outsiders'], 'not-found');
  }
  for (const change of changes) {
    if (change.kind === 'cover') editor.addPlace(change.lock, 'covers', change.place);
    else editor.addListing(change.kind, change.place);
  }
}

/** An address as a place of the policy; undefined where no place can be written for it alone. */
function placeAt(policy: Policy, where: string): string | undefined {
  const path = where.split(/[?#]/, 1)[0] ?? '';
  let place: string;
  try {
    place = decodeURIComponent(path);
  } catch {
    return undefined;
  }
  // The start page is written by its file: `/` would be the whole site.
  if (place === '/' || /[*?#]/.test(place)) return undefined;
  const trimmed = place.endsWith('/') ? place.slice(0, -1) : place;
  return policy.parsePlace(trimmed).ok ? trimmed : undefined;
}

function isShut(policy: Policy, where: string): boolean {
  const read = policy.read(where.replace(/#.*$/s, ''));
  return read.ok && read.readings.some((reading) => policy.index.nearest(reading).length > 0);
}
