import type { Policy } from '../core/policy/compile.js';
import { reviewPolicies, standingOf, type Review } from '../core/policy/review.js';
import { targetOf } from '../server/site-files.js';
import { filesOfSite } from './site-pages.js';
import { counted, listed, paint, print } from './output.js';

/** The addresses a change is judged by: the site's files, where they are at hand, and these. */
export async function knownTargets(
  policyFile: string,
  policy: Policy,
  places: readonly string[],
): Promise<string[]> {
  const files =
    policy.site.folder === undefined ? [] : await filesOfSite(policyFile, policy).catch(() => []);
  const plain = places.filter((place) => !place.includes('*')).map((place) => encodeURI(place));
  const sections = [...policy.locks.values()].flatMap(({ covers }) =>
    covers.flatMap((place) => (place.kind === 'section' ? encodeURI(place.text) : [])),
  );
  const readings = new Set<string>();
  // A page and its index file are one: count and name it once, the file's spelling first.
  return [...files.map(targetOf), ...plain, ...sections].filter((target) => {
    const read = policy.read(target);
    const reading = read.ok ? (read.readings[0] ?? '') : target;
    return readings.has(reading) ? false : readings.add(reading);
  });
}

/** What a change opened and closed for strangers, and what stays shut. */
export interface Change extends Review {
  /** Those of the named places that are still shut, and by which locks. */
  readonly stillShut: readonly { readonly place: string; readonly locks: readonly string[] }[];
}

export async function changeBetween(
  policyFile: string,
  { before, after }: { readonly before: Policy; readonly after: Policy },
  places: readonly string[],
): Promise<Change> {
  const now = Date.now() / 1000;
  const review = reviewPolicies(before, after, await knownTargets(policyFile, after, places), now);
  const stillShut = places.flatMap((place) => {
    if (place.includes('*')) return [];
    const standing = standingOf(after, encodeURI(place), now);
    return standing.open ? [] : [{ place, locks: standing.locks }];
  });
  return { ...review, stillShut };
}

const shownAtMost = 12;

/** Says in words what opened and what closed. */
export function printChange({ opened, closed, moved }: Review): void {
  if (opened.length + closed.length + moved.length === 0) {
    print('Nothing opened and nothing closed for strangers.');
  }
  const lists = [
    { targets: closed, heading: paint.red('Closed'), what: 'address' },
    { targets: opened, heading: paint.green('Opened'), what: 'address' },
    { targets: moved, heading: 'Under another lock', what: 'address' },
  ];
  for (const { targets, heading, what } of lists) {
    if (targets.length === 0) continue;
    print(`${heading}: ${counted(targets.length, what, 'addresses')}`);
    for (const target of targets.slice(0, shownAtMost)) print(`  ${decodeURI(target)}`);
    if (targets.length > shownAtMost) print(`  and ${targets.length - shownAtMost} more`);
  }
}

/** `still shut by members and opening`. */
export function shutBy(locks: readonly string[]): string {
  return `still shut by ${listed(locks)}`;
}
