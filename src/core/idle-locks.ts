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

/**
 * The same for sections: by id, the locks that would stand before a section of the page at an address.
 *
 * @param now - in seconds since 1970
 */
export function idleSections(
  { locks, read }: Policy,
  now: number,
): (target: string) => ReadonlyMap<string, readonly Lock[]> {
  const pages = new Map<string, Map<string, Lock[]>>();
  for (const lock of locks.values()) {
    if (countsAt(lock, now)) continue;
    for (const place of lock.covers) {
      if (place.kind !== 'section') continue;
      const page = pages.get(place.path) ?? new Map<string, Lock[]>();
      page.set(place.id, [...(page.get(place.id) ?? []), lock]);
      pages.set(place.path, page);
    }
  }
  return (target) => {
    const canonical = pages.size === 0 ? undefined : read(target);
    const found = new Map<string, readonly Lock[]>();
    for (const reading of canonical?.ok === true ? canonical.readings : []) {
      for (const [id, own] of pages.get(reading) ?? []) found.set(id, [...new Set([...(found.get(id) ?? []), ...own])]);
    }
    return found;
  };
}
