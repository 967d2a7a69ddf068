import { existsSync, realpathSync, statSync } from 'node:fs';
import { isAbsolute, join, posix, relative, sep } from 'node:path';

/** Where Vite finds what it serves. */
export interface Sources {
  readonly root: string;
  /** Empty, where there is none. */
  readonly publicDir: string;
  /** Whether a file of the sources, `/members/moon.png`, stays under its locks when it is built. */
  readonly isKept: (path: string) => boolean;
}

/** The path of a file within a folder, as an address; undefined where it lies elsewhere. */
function within(folder: string, file: string): string | undefined {
  const path = relative(folder, file);
  return folder === '' || path.startsWith('..') || isAbsolute(path) ? undefined : `/${path.split(sep).join('/')}`;
}

/** A file by its one true name, without links on the way to it; undefined where there is none. */
function realFile(file: string): string | undefined {
  try {
    const real = realpathSync.native(file);
    return statSync(real).isFile() ? real : undefined;
  } catch {
    return undefined;
  }
}

/** Deeper, nothing is read. */
const mostDecoded = 4;

/** A path, and what it becomes when it is decoded once more, each without what Vite puts before paths on the disk. */
function* readingsOf(rawPath: string): Generator<string> {
  let path = rawPath;
  for (let count = 0; count < mostDecoded; count++) {
    let bare = posix.normalize(`/${path.replaceAll('\\', '/')}`);
    for (let shorter = ''; shorter !== bare;) {
      shorter = bare;
      bare = posix.normalize(bare.replace(/^\/@(?:fs|id)\//, '/').replace(/^\/__x00__/, '/'));
    }
    yield bare.replace(/[\0/]+$/, '');
    try {
      const decoded = decodeURIComponent(path);
      if (decoded === path) return;
      path = decoded;
    } catch {
      return;
    }
  }
}

/**
 * Whether a request to one of Vite's servers is for a file of Dorlin's own, by any name that Vite finds it by:
 * below its root, in the public folder, by its path on the disk, with `?raw` or without.
 *
 * @param isOwn - tells it of true paths on the disk
 * @param isOwnName - tells it of addresses
 */
export function asksForOwn(
  target: string,
  { root, publicDir }: Pick<Sources, 'root' | 'publicDir'>,
  isOwn: (file: string) => boolean,
  isOwnName: (target: string) => boolean,
): boolean {
  const rawPath = target.replace(/^https?:\/\/[^/?#]*/i, '').replace(/[?#].*$/s, '');
  for (const path of readingsOf(rawPath)) {
    if (isOwnName(path)) return true;
    const places = [publicDir === '' ? undefined : join(publicDir, path), join(root, path), path];
    if (places.some((place) => isOwn((place && realFile(place)) ?? ''))) return true;
  }
  return false;
}

/**
 * As which address a request to Vite’s development server is to be judged; undefined: not at all, as it is for
 * what the finished site has at no such address, a module or style before it is built, or something of Vite’s own.
 * Of those the policy says nothing. Pages, public files and whatever is doubtful are the guard’s to judge.
 *
 * Vite finds one file by many addresses: below its root, in the public folder, and by its path on the disk. A file is
 * judged, and then served, by the one address that the finished site has it at.
 *
 * @param target - as it arrived (RFC 9112 section 3.2), of a request to the base `/`
 */
export function judgedAddress(target: string, { root, publicDir, isKept }: Sources): string | undefined {
  const url = target.replace(/^https?:\/\/[^/?#]*/i, '');
  const [, rawPath = '', rest = ''] = /^([^?#]*)(.*)$/s.exec(url) ?? [];
  const [realRoot, realPublic] = [root, publicDir].map((folder) =>
    folder !== '' && existsSync(folder) ? realpathSync.native(folder) : '',
  ) as [string, string];
  // The guard refuses it. Vite would end over some of those.
  if (!isDecodable(rawPath)) return target;
  let isElsewhere = false;
  for (const path of readingsOf(rawPath)) {
    // A public file is served first, and a path on the disk may be any.
    const places = [realPublic === '' ? undefined : join(realPublic, path), join(realRoot, path), path];
    for (const file of places.flatMap((place) => (place === undefined ? [] : (realFile(place) ?? [])))) {
      const inPublic = realPublic === '' ? undefined : within(realPublic, file);
      const address = inPublic ?? within(realRoot, file);
      const isPage = inPublic !== undefined || (address !== undefined && (isHtml(address) || isKept(address)));
      if (address !== undefined && isPage) return address.split('/').map(encodeURIComponent).join('/') + rest;
      isElsewhere = true;
    }
  }
  // A module of the site, or of a package that is linked.
  if (isElsewhere) return undefined;
  const isPageOf = (path: string) => [`${path}.html`, `${path}/index.html`].some((one) => realFile(join(root, one)));
  const isVites = /^\/(?:@|__|node_modules\/)/.test(rawPath) && ![...readingsOf(rawPath)].some(isPageOf);
  return isVites ? undefined : target;
}

function isDecodable(path: string): boolean {
  try {
    decodeURIComponent(path);
    return true;
  } catch {
    return false;
  }
}

const isHtml = (path: string) => /\.x?html?$/i.test(path);
