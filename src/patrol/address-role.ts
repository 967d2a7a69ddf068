import { isInRanges } from '../core/bypass/address.js';
import { visitorsByAddress } from './expectation.js';
import type { LeakIndex } from './leak-index.js';
import { note } from './note.js';
import type { Sample } from './samples.js';
import { shouldGet, type Tour } from './tour.js';

/** The headers by which proxies hand on who asked (RFC 7239, and what was used before it). */
export const forwarded = (address: string): Record<string, string> => ({
  'x-forwarded-for': address,
  forwarded: `for="${address.includes(':') ? `[${address}]` : address}"`,
});

/** Visitors from the addresses of bypasses, where they can be played; else, that nobody else can. */
export async function checkAddresses(
  tour: Tour,
  index: LeakIndex,
  samples: readonly Sample[],
  from: string | undefined,
): Promise<void> {
  const { expectation } = tour;
  if (expectation === undefined) return;
  const { policy } = expectation;
  // Where this machine is a proxy that the site believes, an address can be played.
  const isBelieved = from !== undefined || isLoopbackTrusted(tour);
  for (const { name, visitor } of visitorsByAddress(policy, tour.now, from)) {
    for (const sample of samples) {
      const { target } = sample;
      if (sample.isSection) continue;
      const headers = forwarded(visitor.address ?? '');
      const facts = await tour.look('address', { target, headers });
      const expected = isBelieved ? shouldGet(tour, target, { passes: [], visitor }) : false;
      const said = `asked from ${visitor.address ?? ''} (${name})`;
      note(tour, index, {
        role: 'address',
        sample,
        facts,
        expected,
        how: said,
        wrongs: { leak: 'forged-address-opens', closed: 'address-kept-out' },
      });
    }
  }
}

/** Whether the site runs on this machine and believes proxies of this machine. */
export function isLoopbackTrusted({ expectation, asker }: Tour): boolean {
  const { hostname } = new URL(asker.origin);
  // A name may stand for either; then both must be believed.
  const own =
    hostname === 'localhost'
      ? ['127.0.0.1', '::1']
      : /^(?:127\..*|\[::1\])$/.test(hostname)
        ? [hostname.replace(/[[\]]/g, '')]
        : [];
  const ranges = expectation?.policy.site.trustedProxies ?? [];
  return own.length > 0 && own.every((address) => isInRanges(address, ranges));
}
