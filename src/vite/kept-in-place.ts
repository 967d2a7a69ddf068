import { dirname } from 'node:path/posix';
import { locksBefore } from '../core/decide.js';
import type { Policy } from '../core/policy/types.js';
import { targetOf } from '../server/site-files.js';

/** The locks before a file, by name; of one that cannot be read for certain, a text of its own. */
function locksOf(policy: Policy, path: string, now: number): string {
  const standing = locksBefore(policy, targetOf(path), now);
  if (standing.kind !== 'locked') return standing.kind;
  const readings = standing.readings.map((locks) => locks.map(({ name }) => name).join(' '));
  return [...new Set(readings)].sort().join(', ');
}

/**
 * Whether a file of the sources stands under another lock than the site as a whole. What is built of it would
 * lie with everything else in `assets/`, where such a lock does not reach.
 *
 * @param path - seen from Vite’s root: `/members/moon.png`
 * @param now - in seconds since 1970
 */
export const isLockedByItself = (policy: Policy, path: string, now: number): boolean =>
  !['open', locksOf(policy, '/no-such-page', now)].includes(locksOf(policy, path, now));

/**
 * Where something that is built of locked sources is to lie instead, so that their locks stand before it too:
 * in the folder of the first of them.
 *
 * @param sources - seen from Vite’s root
 * @param usual - the name that it would have: `assets/[name]-[hash].png`
 * @returns undefined where it may lie as usual; `isOut`: it should not, and no folder of the sources is locked
 */
export function placeBeside(
  policy: Policy,
  sources: readonly string[],
  usual: string,
  now: number,
): { readonly name: string } | { readonly isOut: true } | undefined {
  const [first = ''] = sources;
  if (sources.length === 0 || !sources.every((path) => isLockedByItself(policy, path, now))) return undefined;
  const wanted = locksOf(policy, first, now);
  const name = `${dirname(first)}/${usual}`.replace(/^\/+/, '');
  const isSame = sources.every((path) => locksOf(policy, path, now) === wanted);
  return isSame && locksOf(policy, `/${name}`, now) === wanted ? { name } : { isOut: true };
}
