import { sortedAlternatives, type Alternatives } from '../core/sealing/areas.js';
import type { Lock } from '../core/policy/types.js';
import { countsAt } from '../core/policy/lock-state.js';

/** More ways than anybody means: a policy that has them is to be looked at. */
const mostAlternatives = 200;

/**
 * The ways into what stands under these groups of locks, of each of which any would do: as names of the
 * locks that are needed together, with those that they require. Empty: nothing opens it.
 *
 * @param mayOpen - whether anything is sealed for a lock: a password or a link that counts
 */
export function alternativesOf(
  groups: readonly (readonly Lock[])[],
  mayOpen: (lock: Lock) => boolean,
  now: number,
): Alternatives {
  let ways: readonly (readonly string[])[] = [[]];
  for (const group of groups) {
    const each = group.map((lock) => withRequired(lock, now)).filter((locks) => locks.every(mayOpen));
    ways = sortedAlternatives(ways.flatMap((way) => each.map((locks) => [...way, ...locks.map(({ name }) => name)])));
    // What is too much to be told apart is opened by nothing.
    if (ways.length === 0 || ways.length > mostAlternatives) return [];
  }
  return ways;
}

/** A lock with all that it requires, those of the required included. */
function withRequired(lock: Lock, now: number): Lock[] {
  const all = new Set<Lock>([lock]);
  for (const one of all) for (const required of one.requires) if (countsAt(required, now)) all.add(required);
  return [...all];
}
