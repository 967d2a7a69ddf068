import { DorlinError } from '../core/errors.js';
import { makeAsker } from './asker.js';
import type { Facts } from './facts.js';
import { makeLook } from './look.js';
import { makeReader } from './reader.js';
import { noRecord } from './record.js';
import { isAction, siteAddresses, siteAt } from './site-addresses.js';
import { makeFrontier } from './walk.js';
import { walkAsStranger } from './walks.js';

const limits = { pages: 2000, atOnce: 6 };
const longest = 15 * 60_000;

/** What a walk over a site has come to. */
export interface Walked {
  /** As targets, each once. */
  readonly targets: readonly string[];
  /** Whether more was known than was looked at: it was stopped, or took too long, or there was too much. */
  readonly isCutShort: boolean;
}

/**
 * What a stranger meets who walks over a site from one address on: 2,000 addresses at most, and nothing
 * of what is not there.
 *
 * @param told - how many were met so far
 * @param stop - ends it early, with what was met
 * @throws DorlinError `origin-invalid`, `site-unreachable`
 */
export async function addressesFrom(
  url: string,
  told: (found: number) => void = () => undefined,
  stop?: AbortSignal,
): Promise<Walked> {
  const { origin, pathname, search } = siteAt(url);
  const asker = makeAsker(origin, limits.atOnce);
  const reader = makeReader(siteAddresses(origin, []), { origin, aliases: [] });
  const until = Date.now() + longest;
  const strangers = new Map<string, Facts>();
  const frontier = makeFrontier({ ...limits, until, stop }, (target) => !isAction(target));
  frontier.add(pathname + search);
  try {
    await walkAsStranger({
      frontier,
      look: makeLook(asker, reader, noRecord),
      strangers,
      notFound: undefined,
      limits: { ...limits, until },
      progress: () => {
        told(strangers.size);
      },
    });
  } finally {
    asker.close();
    await reader.close();
  }
  const found = [...strangers.values()];
  if (found[0]?.status === 0) {
    throw new DorlinError(
      'site-unreachable',
      `${url} does not answer: ${found[0].problem ?? 'for no reason that it tells'}.`,
    );
  }
  return {
    targets: found.filter(({ seen }) => seen !== 'not found').map(({ target }) => target),
    isCutShort: frontier.left > 0,
  };
}
