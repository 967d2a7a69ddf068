import { DorlinError } from '../core/errors.js';

/** Turns addresses, as pages write them, into request targets of the one site that is walked. */
export interface SiteAddresses {
  /**
   * The request target (path and query) of an address.
   *
   * @param base - the target of the page that it stands in, or its `base`
   * @returns undefined where it leads to another site, or nowhere
   */
  targetOf(address: string, base: string): string | undefined;
}

/** Most addresses of one page that differ in their query alone: calendars have no end. */
export const mostQueries = 20;

/**
 * @param origin - where the site is asked
 * @param aliases - origins by which its pages call it besides
 */
export function siteAddresses(origin: string, aliases: readonly string[]): SiteAddresses {
  const own = new Set([origin, ...aliases]);
  // Most links of a site stand on all of its pages.
  const known = new Map<string, Map<string, string | undefined>>();
  const resolve = (address: string, base: string): string | undefined => {
    try {
      const url = new URL(address, origin + base);
      if (!own.has(url.origin)) return undefined;
      // What nobody could ask for: a piece of a pattern, or of a script.
      if (/[{}<>"`|^\\]|%(?:22|3c|3e|60|7b|7c|7d|5c|5e)/i.test(url.pathname) || url.pathname.length > 1024) {
        return undefined;
      }
      return url.pathname + url.search;
    } catch {
      return undefined;
    }
  };
  return {
    targetOf(address, base) {
      const end = address.indexOf('#');
      const bare = (end < 0 ? address : address.slice(0, end)).trim();
      if (bare === '' || /^(?:mailto|javascript|data|tel|blob|about):|^\+|\+$/i.test(bare)) return undefined;
      const path = base.split('?', 1)[0] ?? '/';
      const folder = bare.startsWith('?') ? path : path.slice(0, path.lastIndexOf('/') + 1);
      let inFolder = known.get(folder);
      if (inFolder === undefined) {
        inFolder = new Map<string, string | undefined>();
        known.set(folder, inFolder);
      }
      if (!inFolder.has(bare)) inFolder.set(bare, resolve(bare, folder));
      return inFolder.get(bare);
    },
  };
}

/** What nobody wants asked for on a walk: it ends something, or does something. */
export const isAction = (target: string) =>
  /(?:^|[/_-])(?:log-?out|sign-?out|leave|delete|remove|unsubscribe|destroy)(?:[/.?]|$)/i.test(target);

/**
 * The address of a site, as somebody wrote it.
 * @throws DorlinError `origin-invalid`
 */
export function siteAt(address: string): URL {
  const url = URL.canParse(address) ? new URL(address) : undefined;
  if (url !== undefined && /^https?:$/.test(url.protocol)) return url;
  throw new DorlinError('origin-invalid', `\`${address}\` is no address of a site.`, {
    mend: 'Write it whole, such as `https://kestrelmoor.example`.',
  });
}
