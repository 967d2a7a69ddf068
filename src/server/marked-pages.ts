import { readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { LRUCache } from 'lru-cache';
import type { PlaceRules } from '../core/places/fold.js';
import type { GuardOptions } from '../guard/context.js';
import { mayBeMarked } from '../core/sections/marks.js';
import type { SiteSource } from './site-server.js';
import { filesThatMayAnswer } from './static-folder.js';

/** Tells which pages may hold marked sections: of a folder those that do; of an application, nobody knows before it answers. */
export const markedPagesOf = (source: SiteSource | undefined, rules: () => PlaceRules): GuardOptions['mayBeMarked'] =>
  source === undefined
    ? undefined
    : 'folder' in source
      ? markedPages(source.folder, rules)
      : () => Promise.resolve(true);

/**
 * Tells which pages of a folder may hold marked sections. A file is read at the first visit, and again
 * once it has changed; what cannot be read may hold some.
 *
 * @param rules - the site's rules at this moment
 */
export function markedPages(folder: string, rules: () => PlaceRules): (target: string) => Promise<boolean> {
  const known = new LRUCache<string, { readonly version: string; readonly is: boolean }>({
    maxSize: 8_000_000,
    sizeCalculation: (_, name) => 2 * name.length + 250,
  });
  const isMarked = async (name: string, { mtimeMs, size, ino }: { mtimeMs: number; size: number; ino: number }) => {
    const version = `${mtimeMs} ${size} ${ino}`;
    const before = known.get(name);
    if (before?.version === version) return before.is;
    const is = mayBeMarked(await readFile(join(folder, name)));
    known.set(name, { version, is });
    return is;
  };
  return async (target) => {
    try {
      const path = decodeURIComponent(target.split('?', 1)[0] ?? '/');
      // What the web server takes for it is not known, so all that it may be are looked at.
      for (const name of filesThatMayAnswer(path, rules())) {
        if (!/\.(?:[sx]?html?|xht|svg|xml)$/i.test(name)) continue;
        const found = await stat(join(folder, name)).catch(() => undefined);
        if (found?.isFile() === true && (await isMarked(name, found))) return true;
      }
      return false;
    } catch {
      return true;
    }
  };
}
