import { readdir, readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { LRUCache } from 'lru-cache';
import { lettersOf } from '../core/letters.js';
import { foldPart, type PlaceRules } from '../core/places/fold.js';
import { marksIn, mayBeMarked, plainLetters } from '../core/sections/marks.js';
import type { GuardOptions } from '../guard/context.js';
import { ignore } from '../stores/file-errors.js';
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

/** Names in a folder, by their folded form. */
type FoldedNames = ReadonlyMap<string, readonly string[]>;

/** Whatever else keeps a file from being read: it may hold anything. */
const ifGone = ignore('ENOENT', 'ENOTDIR');

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
  /** Of each folder its names by how they are compared, so that a visit costs the same in folders of any size. */
  const folders = new LRUCache<string, { readonly version: string; readonly names: FoldedNames }>({
    maxSize: 8_000_000,
    sizeCalculation: ({ names }, name) => {
      let size = 2 * name.length + 250;
      for (const [folded, all] of names) size += 2 * folded.length * (1 + all.length) + 100;
      return size;
    },
  });
  const marksOfFile = async (name: string): Promise<ReadonlySet<string>> => {
    const about = await stat(join(folder, name)).catch(ifGone);
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
  const namesIn = async (name: string, { caseSensitive }: PlaceRules): Promise<FoldedNames> => {
    const about = await stat(join(folder, name)).catch(ifGone);
    if (about?.isDirectory() !== true) return new Map();
    const version = `${about.mtimeMs} ${about.ino} ${caseSensitive}`;
    const before = folders.get(name);
    if (before?.version === version) return before.names;
    const names = new Map<string, string[]>();
    for (const one of await readdir(join(folder, name))) {
      const folded = foldPart(one, caseSensitive);
      names.set(folded, [...(names.get(folded) ?? []), one]);
    }
    // Two changes within a tick of the clock leave the same time: of a folder that just changed nothing is kept.
    if (Date.now() - about.mtimeMs >= 2000) folders.set(name, { version, names });
    return names;
  };
  /** Every file that a web server may send for an address, however it spells names. */
  const pagesAt = async (parts: readonly string[]): Promise<readonly string[]> => {
    const placeRules = rules();
    const fold = (part: string) => foldPart(part, placeRules.caseSensitive);
    const inThese = async (inside: readonly string[], wanted: readonly string[]) => {
      const found: string[] = [];
      for (const one of inside) {
        const names = await namesIn(one, placeRules);
        for (const part of wanted) for (const name of names.get(part) ?? []) found.push(`${one}/${name}`);
      }
      return found;
    };
    let inside: readonly string[] = [''];
    for (const [at, part] of parts.map(fold).entries()) {
      const ends = at === parts.length - 1 ? ['', ...placeRules.extensions.map(fold)] : [''];
      inside = await inThese(
        inside,
        ends.map((end) => part + end),
      );
    }
    return [...inside, ...(await inThese(inside, placeRules.indexFiles.map(fold)))].filter(isPage);
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
