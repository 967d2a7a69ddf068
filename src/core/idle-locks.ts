import { coverIndex } from './places/cover-index.js';
import { statementsOf } from './policy/compile.js';
import { countsAt } from './policy/lock-state.js';
import type { Lock, Policy } from './policy/types.js';

/**
 * Finds the locks that would stand before an address if they counted: they are switched off, have not begun, or
 * have ended. Without them it would look as if no lock had ever been set there.
 *
 * @param now - in seconds since 1970
 */
export function idleLocks({ locks, read }: Policy, now: number): (target: string) => readonly Lock[] {
  const idle = [...locks.values()].filter((lock) => !countsAt(lock, now));
  if (idle.length === 0) return () => [];
  const index = coverIndex(statementsOf(idle));
  return (target) => {
    const canonical = read(target);
    return canonical.ok ? [...new Set(canonical.readings.flatMap((reading) => index.nearest(reading)))] : [];
  };
}
