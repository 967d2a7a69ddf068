import { readdir, readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { LRUCache } from 'lru-cache';
import { lettersOf } from '../core/letters.js';
import { foldPart, type PlaceRules } from '../core/places/fold.js';
import { marksIn, mayBeMarked, plainLetters } from '../core/sections/marks.js';
import type { GuardOptions } from '../guard/context.js';
import type { SiteSource } from './site-server.js';

/** Tells by which locks the pages of a site are marked: of a folder, from its files; of an application, nobody knows before it answers. */
export const marksOfSource = (source: SiteSource | undefined, rules: () => PlaceRules): GuardOptions['marksOf'] =>
  source === undefined
    ? undefined
    : 'folder' in source
      ? marksOfFolder(source.folder, rules)
      : () => Promise.resolve(undefined);

const noMarks: ReadonlySet<string> = new Set();
/** A name that no lock has: for pages that cannot be read. */
const unreadable: ReadonlySet<string> = new Set(['']);

const isPage = (name: string) => /\.(?:[sx]?html?|xht|svg|xml)$/i.test(name);

/**
 * Tells by which locks the pages of a folder are marked. A file is read at the first visit, and again
 * once it has changed; one that cannot be read is marked by a name that no lock has.
 *
 * @param rules - the site's rules at this moment
 */
export function marksOfFolder(
  folder: string,
  rules: () => PlaceRules,
): (target: string) => Promise<ReadonlySet<string>> {
  const files = new LRUCache<string, { readonly version: string; readonly marks: ReadonlySet<string> }>({
    maxSize: 8_000_000,
    sizeCalculation: ({ marks }, name) => 2 * name.length + 250 + marks.size * 80,
  });
  const folders = new LRUCache<string, { readonly version: string; readonly names: readonly string[] }>({
    maxSize: 8_000_000,
    sizeCalculation: ({ names }, name) =>
      2 * name.length + 250 + names.reduce((sum, one) => sum + 2 * one.length + 30, 0),
  });
  const marksOfFile = async (name: string): Promise<ReadonlySet<string>> => {
    const about = await stat(join(folder, name)).catch(() => undefined);
    if (about?.isFile() !== true) return noMarks;
    const version = `${about.mtimeMs} ${about.size} ${about.ino}`;
    const before = files.get(name);
    if (before?.version === version) return before.marks;
    const bytes = await readFile(join(folder, name));
    const marks = mayBeMarked(bytes) ? new Set(marksIn(plainLetters(lettersOf(bytes)))) : noMarks;
    files.set(name, { version, marks });
    return marks;
  };
  /** The names in a folder; none if there is no such folder. */
  const namesIn = async (name: string): Promise<readonly string[]> => {
    const about = await stat(join(folder, name)).catch(() => undefined);
    if (about?.isDirectory() !== true) return [];
    // Two changes within a tick of the clock leave the same time, so a fresh folder is read each time.
    const version = Date.now() - about.mtimeMs < 2000 ? undefined : `${about.mtimeMs} ${about.ino}`;
    const before = folders.get(name);
    if (before !== undefined && before.version === version) return before.names;
    const names = await readdir(join(folder, name));
    if (version === undefined) folders.delete(name);
    else folders.set(name, { version, names });
    return names;
  };
  /** Every file that a web server may send for an address, however it spells names. */
  const pagesAt = async (parts: readonly string[]): Promise<readonly string[]> => {
    const { indexFiles, extensions, caseSensitive } = rules();
    const fold = (part: string) => foldPart(part, caseSensitive);
    const wanted = parts.map(fold);
    let inside = [''];
    for (const [at, part] of wanted.entries()) {
      const isLast = at === wanted.length - 1;
      const ends = isLast ? ['', ...extensions.map(fold)] : [''];
      const found: string[] = [];
      for (const one of inside) {
        for (const name of await namesIn(one)) {
          if (ends.some((end) => fold(name) === part + end)) found.push(`${one}/${name}`);
        }
      }
      inside = found;
    }
    const indexes = new Set(indexFiles.map(fold));
    const found = inside.filter(isPage);
    for (const one of inside) {
      for (const name of await namesIn(one)) if (indexes.has(fold(name)) && isPage(name)) found.push(`${one}/${name}`);
    }
    return found;
  };
  return async (target) => {
    try {
      const path = decodeURIComponent(target.split('?', 1)[0] ?? '/');
      const found = new Set<string>();
      for (const name of await pagesAt(path.split('/').filter((part) => part !== ''))) {
        for (const mark of await marksOfFile(name)) found.add(mark);
      }
      return found;
    } catch {
      return unreadable;
    }
  };
}
