import { decideSection, sectionsAt } from '../core/decide-section.js';
import { decide } from '../core/decide.js';
import { idleLocks, idleSections } from '../core/idle-locks.js';
import type { Policy } from '../core/policy/types.js';
import { targetOf, type LeftOut } from '../server/site-files.js';
import { waitingDraft } from '../stores/draft.js';
import { loadPolicy } from '../stores/policy-file.js';
import { standingOf, type LockStanding } from './lock-settings.js';
import { parsedPlace } from './place-text.js';
import { folderOfSite } from './site-files.js';

/** One address of the site, and what stands before it for a stranger. */
export interface ListedPlace {
  readonly path: string;
  readonly kind: 'page' | 'file' | 'sitemap' | 'feed';
  /** The locks any of which opens it; none: it is open. */
  readonly locks: readonly string[];
  /** The places, as the policy writes them, by which those locks cover it. */
  readonly because: readonly string[];
  /** Locks that cover it and do not count now: they are off, have not begun, or have ended. */
  readonly idle: readonly string[];
  /** Its sections that strangers do not get: the id, and the lock. */
  readonly sections: readonly { readonly id: string; readonly lock: string }[];
  /** Its sections with a lock that does not count now. */
  readonly idleSections: readonly { readonly id: string; readonly lock: string }[];
}

/** A lock, and over how many of the listed addresses it decides. */
export interface DecidingLock extends LockStanding {
  readonly addresses: number;
  /** Over how many sections of pages. */
  readonly sections: number;
}

/** The site's addresses as strangers find them. */
export interface PlacesResult {
  readonly site: string;
  readonly places: readonly ListedPlace[];
  /** How many addresses the site has, and how many of them strangers get. */
  readonly all: number;
  readonly open: number;
  readonly locks: readonly DecidingLock[];
  /** What is in the site's folder and is not served. */
  readonly leftOut: readonly LeftOut[];
  /** The draft that waits to be made live. */
  readonly draft?: string | undefined;
}

/** Which of the site's addresses are wanted. */
export interface PlacesOrder {
  /** The folder of the site's files; else the policy's. */
  readonly folder?: string | undefined;
  /** A folder or page of the site: what lies in it alone. */
  readonly under?: string | undefined;
  /** Only what strangers do not get. */
  readonly locked?: boolean | undefined;
}

/**
 * Lists the site's files, each with the decision of a stranger's visit.
 * @throws DorlinError `folder-missing`, `place-invalid`
 */
export async function listPlaces(
  policyFile: string,
  { folder, under, locked = false }: PlacesOrder = {},
): Promise<PlacesResult> {
  const policy = await loadPolicy(policyFile);
  const { files, leftOut } = await folderOfSite(policyFile, policy, folder);
  const now = Date.now() / 1000;
  const idle = { at: idleLocks(policy, now), in: idleSections(policy, now) };
  const all = files.map((path) => listPlace(policy, path, now, idle));
  const isUnder = under === undefined ? () => true : liesIn(policy, under);
  const isWanted = ({ locks, sections }: ListedPlace) => !locked || locks.length > 0 || sections.length > 0;
  const count = new Map<string, number>();
  const parts = new Map<string, number>();
  for (const { locks, sections } of all) {
    for (const name of locks) count.set(name, (count.get(name) ?? 0) + 1);
    for (const { lock } of sections) parts.set(lock, (parts.get(lock) ?? 0) + 1);
  }
  return {
    site: policy.site.name,
    places: all.filter((place) => isWanted(place) && isUnder(place.path)),
    all: all.length,
    open: all.filter(({ locks }) => locks.length === 0).length,
    locks: [...policy.locks.values()].map((lock) => ({
      ...standingOf(policy, lock),
      addresses: count.get(lock.name) ?? 0,
      sections: parts.get(lock.name) ?? 0,
    })),
    leftOut,
    draft: await waitingDraft(policyFile),
  };
}

/** Whether a file lies in a place that is named. */
function liesIn(policy: Policy, under: string): (path: string) => boolean {
  const place = parsedPlace(policy, under);
  if (place.kind === 'site') return () => true;
  const within = 'path' in place ? place.path : place.text;
  return (path) => {
    const read = policy.read(targetOf(path));
    return (read.ok ? read.readings : []).some(
      (reading) => reading === within || (place.kind === 'folder' && reading.startsWith(`${within}/`)),
    );
  };
}

/** What finds the locks that do not count. */
interface Idle {
  readonly at: ReturnType<typeof idleLocks>;
  readonly in: ReturnType<typeof idleSections>;
}

function listPlace(policy: Policy, path: string, now: number, idle: Idle): ListedPlace {
  const target = targetOf(path);
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
    idle: idle.at(target).map(({ name }) => name),
    sections: shutSections(policy, target, now),
    idleSections: [...idle.in(target)].flatMap(([id, locks]) => locks.map(({ name }) => ({ id, lock: name }))),
  };
}

/** The sections of a page that strangers do not get, and what shuts them. */
function shutSections(policy: Policy, target: string, now: number): ListedPlace['sections'] {
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
