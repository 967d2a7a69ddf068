import { readdir } from 'node:fs/promises';
import { join, relative, resolve, sep } from 'node:path';
import { DorlinError } from '../core/errors.js';
import { ownNames } from '../core/places/own-names.js';

/**
 * The files of a site's folder as site paths (`/press/index.html`), sorted. Files and folders
 * whose name begins with a dot are left out, but for `.well-known` (RFC 8615), and so are
 * symbolic links, which could lead out of the folder, policies, and what editors leave behind.
 *
 * @param isOwn - tells of whole paths which are Dorlin's own
 * @throws DorlinError `folder-missing`
 */
export async function siteFiles(folder: string, isOwn: (path: string) => boolean = () => false): Promise<string[]> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true }).catch((cause: unknown) => {
    throw new DorlinError('folder-missing', `There is no folder ${folder}.`, { cause });
  });
  return entries
    .filter((entry) => entry.isFile() && !isOwn(resolve(entry.parentPath, entry.name)))
    .map((entry) => `/${relative(folder, join(entry.parentPath, entry.name)).split(sep).join('/')}`)
    .filter((path) => !/\/\.(?!well-known\/)/.test(path) && !isOwnName(path) && !isScratch(path))
    .sort();
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
