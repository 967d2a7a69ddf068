import { readListing, type Listing } from './listing.js';

/** Stands for the site where the policy does not say its origin. */
const unnamed = 'http://site.invalid';

/**
 * Reads a listing of a site.
 *
 * @param letters - its body, one letter for each byte
 * @returns as {@link readListing}; `broken` also where bytes may not be what they seem
 */
export const readSiteListing = (
  letters: string,
  origin: string | undefined,
  target: string,
  isNamed: boolean,
): Listing | 'broken' | undefined =>
  hasAscii(letters) ? readListing(letters, (origin ?? unnamed) + target, isNamed) : 'broken';

/** Whether a byte below 0x80 is what it seems, as far as markup can say (XML 1.0 section 4.3.3). */
function hasAscii(letters: string): boolean {
  if (/^(?:\xfe\xff|\xff\xfe|<\0|\0<)/.test(letters) || letters.includes('\x1b')) return false;
  const declared = /^\s*(?:\xef\xbb\xbf)?<\?xml[^>]*?encoding\s*=\s*["']([^"']+)/i.exec(letters)?.[1];
  return declared === undefined || /^(?:utf-8|us-ascii|iso-8859-\d+|windows-125\d)$/i.test(declared);
}

/**
 * Tells of whole addresses in a listing whether they are shut. By their path, whatever their host: a site may be
 * served at other names than its policy has (on this machine, while it is tried out, at a mirror), and its listings
 * name the one that they were made for.
 */
export const shutAddresses =
  (isOpen: (path: string) => boolean): ((address: string) => boolean) =>
  (address) => {
    const { pathname, search, hash } = new URL(address);
    return !isOpen(pathname + search + hash);
  };
