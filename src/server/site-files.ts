import { readdir } from 'node:fs/promises';
import { join, relative, resolve, sep } from 'node:path';
import { DorlinError } from '../core/errors.js';
import { ownNames } from '../core/places/own-names.js';

/** Something in a site's folder that is not served. */
export interface LeftOut {
  /** The outermost of its kind: what is inside a folder goes with it. */
  readonly path: string;
  /** A symbolic link, which could lead out of the folder, or a name that begins with a dot. */
  readonly why: 'link' | 'dot';
}

/** A site's folder, as it is read. */
export interface FolderRead {
  /** Site paths (`/press/index.html`), sorted. */
  readonly files: string[];
  readonly leftOut: LeftOut[];
}

/**
 * Reads a site's folder. Left out are symbolic links, names that begin with a dot, but for `.well-known` (RFC 8615),
 * policies, and what editors leave behind.
 *
 * @param isOwn - tells of whole paths which are Dorlin's own
 * @throws DorlinError `folder-missing`
 */
export async function readFolder(folder: string, isOwn: (path: string) => boolean = () => false): Promise<FolderRead> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch((cause: unknown) => {
    throw new DorlinError('folder-missing', `There is no folder ${folder}.`, { cause });
  });
  const files: string[] = [];
  const leftOut = new Map<string, LeftOut>();
  for (const entry of entries) {
    const path = `/${relative(folder, join(entry.parentPath, entry.name)).split(sep).join('/')}`;
    if (isOwn(resolve(entry.parentPath, entry.name)) || isOwnName(path) || isScratch(path)) continue;
    const dot = /^(.*?\/\.(?!well-known(?:\/|$))[^/]*)/.exec(path)?.[1];
    const isLink = entry.isSymbolicLink();
    if (dot !== undefined) leftOut.set(dot, { path: dot, why: 'dot' });
    else if (isLink) leftOut.set(path, { path, why: 'link' });
    else if (entry.isFile()) files.push(path);
  }
  // Everybody has those, and nobody would look for them on a site.
  const isUnsaid = ({ path }: LeftOut) => /\/\.(?:git\w*|dorlin|nojekyll|DS_Store)$/.test(path);
  return { files: files.sort(), leftOut: [...leftOut.values()].filter((one) => !isUnsaid(one)).sort(byPath) };
}

const byPath = (one: LeftOut, other: LeftOut) => (one.path < other.path ? -1 : 1);

/** The files of a site's folder; see {@link readFolder}. */
export const siteFiles = async (folder: string, isOwn?: (path: string) => boolean): Promise<string[]> =>
  (await readFolder(folder, isOwn)).files;

/** What is said of names that are left out: `/a and 2 more are symbolic links`. */
export function leftOutWords(leftOut: readonly LeftOut[]): string[] {
  return (['link', 'dot'] as const).flatMap((kind) => {
    const [first, second, ...others] = leftOut.filter(({ why }) => why === kind).map(({ path }) => path);
    if (first === undefined) return [];
    const names = [first, ...(second === undefined ? [] : [second])].join(', ');
    const all = others.length === 0 ? names : `${names} and ${others.length} more`;
    const isOne = second === undefined;
    if (kind === 'link') return [`${all} ${isOne ? 'is a symbolic link' : 'are symbolic links'}`];
    return [`${all} ${isOne ? 'has a name that begins' : 'have names that begin'} with a dot`];
  });
}

const isOwnName = ownNames();

/** Whether a file is what an editor keeps beside another: a copy of it before or during a change. */
const isScratch = (path: string) => scratch.test(path);

/** Endings of what editors keep beside a file. */
export const scratchEndings = ['bak', 'orig', 'rej', 'save', 'swm', 'swn', 'swo', 'swp', 'tmp', 'temp'] as const;

const scratch = new RegExp(`(?:~|\\.(?:${scratchEndings.join('|')}))$|/#[^/]*#$`, 'i');

/** A file's path as a request target. */
export function targetOf(path: string): string {
  return path.split('/').map(encodeURIComponent).join('/');
}
