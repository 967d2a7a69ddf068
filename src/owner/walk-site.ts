import { DorlinError } from '../core/errors.js';
import { addressesFrom } from '../patrol/addresses-from.js';
import { loadPolicy } from '../stores/policy-file.js';

/**
 * Walks over a running site as a stranger, to list what it has: 2,000 addresses at most.
 *
 * @param isHere - whether who asks is at this machine, and may walk over what runs on it
 * @param told - how many were found so far
 * @throws DorlinError `origin-invalid`, `site-unreachable`
 */
export async function walkSiteFrom(
  policyFile: string,
  address: string,
  isHere: boolean,
  told: (found: number) => void,
): Promise<readonly string[]> {
  const { site } = await loadPolicy(policyFile);
  const { origin, hostname } = URL.canParse(address) ? new URL(address) : { origin: '', hostname: '' };
  const isOwn = hostname === 'localhost' || hostname === '127.0.0.1' || hostname === '[::1]';
  // Whoever may use a console is not to reach other servers by it.
  if (origin !== site.origin && !(isOwn && isHere)) {
    throw new DorlinError('origin-invalid', `\`${address}\` is not where this site is.`, {
      mend: `Walk from ${site.origin ?? 'the site on this machine'}, or set where the site is in the settings.`,
    });
  }
  return addressesFrom(address, told);
}
