import { accessOfStranger } from '../core/access.js';
import { reviewPolicies, type Review } from '../core/policy/review.js';
import type { Policy } from '../core/policy/types.js';
import { targetsAtHand } from './site-files.js';

/** The addresses of the sections that a policy names. */
export function sectionsOf({ locks }: Policy): string[] {
  return [...locks.values()].flatMap(({ covers }) =>
    covers.flatMap((place) => (place.kind === 'section' ? encodeURI(place.text) : [])),
  );
}

/** The addresses a change is judged by: the site's files, where they are at hand, and these. */
export async function knownTargets(policyFile: string, policy: Policy, places: readonly string[]): Promise<string[]> {
  const files = (await targetsAtHand(policyFile, policy)) ?? [];
  const plain = places.filter((place) => !place.includes('*')).map((place) => encodeURI(place));
  const readings = new Set<string>();
  // A page and its index file are one: count and name it once, the file's spelling first.
  return [...files, ...plain, ...sectionsOf(policy)].filter((target) => {
    const read = policy.read(target);
    const reading = read.ok ? (read.readings[0] ?? '') : target;
    return readings.has(reading) ? false : readings.add(reading);
  });
}

/** A place that is still shut to strangers, and by which locks. */
export interface StillShut {
  readonly place: string;
  readonly locks: readonly string[];
}

/** Two states of a policy, before and after an edit. */
export interface Edited {
  readonly before: Policy;
  readonly after: Policy;
}

/** What an edit opened and closed for strangers, of all addresses that are known. */
export async function changeBetween(
  policyFile: string,
  { before, after }: Edited,
  places: readonly string[] = [],
): Promise<Review> {
  const targets = await knownTargets(policyFile, after, places);
  return reviewPolicies(before, after, targets, Date.now() / 1000);
}

/** Those of some places that are shut to strangers now. */
export function stillShutOf(policy: Policy, places: readonly string[]): StillShut[] {
  const now = Date.now() / 1000;
  return places.flatMap((place) => {
    if (place.includes('*')) return [];
    const access = accessOfStranger(policy, encodeURI(place), now);
    return access.open ? [] : [{ place, locks: access.locks }];
  });
}
