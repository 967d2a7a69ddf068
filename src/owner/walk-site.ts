import { DorlinError } from '../core/errors.js';
import { addressesFrom } from '../patrol/addresses-from.js';
import { addressesInSitemap } from '../server/sitemap.js';
import { loadPolicy } from '../stores/policy-file.js';

/** How the addresses of a running site are found: by its links as a stranger, or by its sitemap. */
export type FoundBy = 'links' | 'sitemap';

/** The addresses of a site, as they were found. */
export interface FoundSite {
  readonly by: FoundBy;
  /** In seconds since 1970. */
  readonly at: number;
  readonly targets: readonly string[];
  /** Whether there is more than was looked at. */
  readonly isCutShort: boolean;
}

/** How a site is gone over. */
export interface FindOrder {
  readonly address: string;
  readonly by: FoundBy;
  /** Whether who asks is at this machine, and may walk over what runs on it. */
  readonly isHere: boolean;
  /** Is told how many were found so far. */
  readonly told: (found: number) => void;
  /** Ends it early, with what was found. */
  readonly stop: AbortSignal;
}

/**
 * Refuses an address that is not of the site, or of this machine for who is at it: whoever may use a console is not
 * to reach other servers by it.
 *
 * @param own - where the policy says that the site is
 * @returns its scheme and host
 * @throws DorlinError `origin-invalid`
 */
export function refuseElsewhere(own: string | undefined, address: string, isHere: boolean): string {
  const { origin, hostname } = URL.canParse(address) ? new URL(address) : { origin: '', hostname: '' };
  const isOnMachine = hostname === 'localhost' || hostname === '127.0.0.1' || hostname === '[::1]';
  if (origin !== own && !(isOnMachine && isHere)) {
    throw new DorlinError('origin-invalid', `\`${address}\` is not where this site is.`, {
      mend: `Walk from ${own ?? 'the site on this machine'}, or set where the site is in the settings.`,
    });
  }
  return origin;
}

/**
 * Goes over a running site to list what it has: by links 2,000 addresses at most.
 *
 * @throws DorlinError `origin-invalid`, `site-unreachable`, `sitemap-unreadable`
 */
export async function walkSiteFrom(
  policyFile: string,
  { address, by, isHere, told, stop }: FindOrder,
): Promise<FoundSite> {
  const { site } = await loadPolicy(policyFile);
  const origin = refuseElsewhere(site.origin, address, isHere);
  const at = Date.now() / 1000;
  if (by === 'links') return { by, at, ...(await addressesFrom(address, told, stop)) };
  const found = new Set<string>();
  let left = 0;
  const sitemaps = site.sitemaps.length > 0 ? site.sitemaps : ['/sitemap.xml'];
  for (const one of sitemaps) {
    if (stop.aborted) left++;
    else
      for (const target of await addressesInSitemap(origin + one, { askedAt: origin, origin: site.origin }))
        found.add(target);
    told(found.size);
  }
  return { by, at, targets: [...found], isCutShort: left > 0 };
}
