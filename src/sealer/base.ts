import { DorlinError } from '../core/errors.js';
import { maxParts } from '../core/places/canonical.js';

/**
 * Where a site will lie on its host: `/` for the root, else a folder such as `/observatory/`.
 * @throws DorlinError `call-wrong`
 */
export function baseOf(written = '/'): string {
  const base = written.endsWith('/') ? written : `${written}/`;
  if (/^\/(?:[\w~-][\w.~-]*\/)*$/.test(base)) return base;
  throw new DorlinError('call-wrong', `\`${written}\` is no folder of a host.`, {
    mend: 'Write it as it stands in addresses, from the root of the host: `/observatory/`.',
  });
}

const decoded = (path: string) => {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
};

/** `/events`, `/events.html` and `/events/index.html` are one file. */
const fileKey = (path: string) =>
  decoded(path.replace(/[?#].*$/s, ''))
    .replace(/(?:\/index)?(?:\.html?)?\/?$/i, '')
    .toLowerCase();

/**
 * Makes the reader of addresses on the host: what each is on the site. One that lies outside of the folder in
 * which the site is said to lie, or is none of its files, may have been written for another folder: then it is
 * all that it could be, and open only where all of that is.
 *
 * @param files - every file of the site, as a path from its root
 */
export function addressReader(base: string, files: readonly string[]): (address: string) => readonly string[] {
  const known = new Set(files.map(fileKey));
  const folder = base.toLowerCase().split('/').slice(1, -1);
  return (address) => {
    const [path = '/'] = /^[^?#]*/.exec(address) ?? [];
    const rest = address.slice(path.length);
    const parts = path.split('/').slice(1);
    const from = (at: number) => `/${parts.slice(at).join('/')}${rest}`;
    // Part by part: an encoded slash parts nothing.
    const isWithin = folder.length > 0 && folder.every((part, at) => decoded(parts[at] ?? '').toLowerCase() === part);
    if (isWithin) return [from(folder.length)];
    if (folder.length === 0 && (path === '/' || known.has(fileKey(path)))) return [address];
    // To some hosts an encoded slash parts what it stands in.
    const ends = path.slice(1).split(/\/|%2f/i);
    if (ends.length > maxParts) return [openToNobody];
    return [...new Set([address, ...ends.map((_, at) => `/${ends.slice(at).join('/')}${rest}`)])];
  };
}

/** Refused for certain, as what has more parts than are looked at is to be. */
const openToNobody = '/..';
