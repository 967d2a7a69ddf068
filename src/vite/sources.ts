import { realpathSync, statSync } from 'node:fs';
import { isAbsolute, join, relative, resolve, sep } from 'node:path';

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

/** A file without links on the way to it; undefined where there is none. */
function realFile(file: string): string | undefined {
  try {
    const real = realpathSync(file);
    return statSync(real).isFile() ? real : undefined;
  } catch {
    return undefined;
  }
}

/**
 * As which address a request to Vite’s development server is to be judged; undefined: not at all, as it is for
 * what the finished site has at no such address, a module or style before it is built, or something of Vite’s own.
 * Of those the policy says nothing. Pages, public files and whatever is doubtful are the guard’s to judge.
 *
 * @param url - as it arrived, of a request to the base `/`
 */
export function judgedAddress(url: string, { root, publicDir, isKept }: Sources): string | undefined {
  const [, rawPath = '', rest = ''] = /^([^?#]*)(.*)$/s.exec(url) ?? [];
  let path: string;
  try {
    path = decodeURIComponent(rawPath);
  } catch {
    return url;
  }
  if (!path.startsWith('/') || /\\|\/\/|\0|(?:^|\/)\.\.?(?:\/|$)/.test(path)) return url;
  const [, onDisk] = /^\/@fs(\/.*)$/s.exec(path) ?? [];
  const file = onDisk === undefined ? join(root, path) : resolve(sep === '/' ? onDisk : onDisk.slice(1));
  // A public file is served first, and is public by the path on the disk as well.
  const [open, real] = [realFile(join(publicDir, path)), realFile(file)];
  if (publicDir !== '' && onDisk === undefined && open !== undefined) return url;
  if (real === undefined) {
    if (onDisk !== undefined) return undefined;
    const isPage = [`${file}.html`, join(file, 'index.html')].some((one) => realFile(one) !== undefined);
    return !isPage && /^\/(?:@|__|node_modules\/)/.test(path) ? undefined : url;
  }
  const inPublic = publicDir === '' ? undefined : within(realpathSync(publicDir), real);
  const address = inPublic ?? within(realpathSync(root), real);
  // What is read for the site from elsewhere, such as a package that is linked.
  if (address === undefined) return onDisk === undefined ? url : undefined;
  const isPage = inPublic !== undefined || /\.x?html?$/i.test(address) || isKept(address);
  return isPage ? address.split('/').map(encodeURIComponent).join('/') + rest : undefined;
}
