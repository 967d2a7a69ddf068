import { accessOfStranger } from '../access.js';
import type { Policy } from '../policy/types.js';

/** A file that open pages need to look as they should, and that strangers do not get. */
export interface NeededFile {
  /** Its address. */
  readonly file: string;
  /** The locks that shut it. */
  readonly locks: readonly string[];
  /** The open pages that need it. */
  readonly pages: readonly string[];
}

/**
 * Finds what open pages need and strangers do not get: style sheets, scripts, pictures, media.
 *
 * @param pages - those that strangers get, and what each needs as request targets
 */
export function neededLocked(
  policy: Policy,
  pages: Iterable<{ readonly path: string; readonly needs: readonly string[] }>,
  now: number,
): NeededFile[] {
  const users = new Map<string, string[]>();
  for (const { path, needs } of pages) {
    for (const file of needs) users.set(file, [...(users.get(file) ?? []), path]);
  }
  return [...users].flatMap(([file, by]): NeededFile[] => {
    // What is Dorlin's own is there for everybody.
    if (file.startsWith(`${policy.site.prefix}/`)) return [];
    const access = accessOfStranger(policy, file, now);
    return access.open ? [] : [{ file, locks: access.locks, pages: by }];
  });
}
