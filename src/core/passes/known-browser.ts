import * as z from 'zod';
import type { Lock } from '../policy/types.js';
import type { Opener } from '../policy/openers.js';
import { isWithin } from '../windows/window.js';
import type { KeyChain } from './keys.js';
import { readSigned, sign, type SignedKind } from './signed.js';

/**
 * A browser that has opened locks before. For those it keeps a budget of tries of its own, so
 * that a stranger who uses up everybody's cannot lock it out. For any other lock it is a stranger:
 * else one known password would buy any number of fresh budgets against the others.
 */
export interface KnownBrowser {
  readonly id: string;
  /** By what it opened them: the lock's name, the opener's id and its mark, with a space between. */
  readonly locks: readonly string[];
}

/** The same browser, known at one more lock. */
export function knownAtToo(
  browser: KnownBrowser | undefined,
  lock: Pick<Lock, 'name'>,
  opener: Pick<Opener, 'id' | 'mark'>,
  newId: () => string,
): KnownBrowser {
  const others = (browser?.locks ?? []).filter((one) => !one.startsWith(`${lock.name} `));
  const locks = [...others, `${lock.name} ${opener.id} ${opener.mark}`];
  // Signed, it must fit into the 4,096 bytes that browsers keep: the most recent ones stay.
  while (locks.length > 1 && locks.join('","').length > mostText) locks.shift();
  return { id: browser?.id ?? newId(), locks };
}

/** Base64url makes four characters of three, and there is more in it than these. */
const mostText = 2600;

/** Whether a browser has opened a lock by what still opens it now: a rotated password makes nobody known. */
export function isKnownAt(browser: KnownBrowser, lock: Lock, now: number): boolean {
  return browser.locks.some((one) => {
    const [name, id = '', mark] = one.split(' ');
    const opener = name === lock.name ? lock.openers.get(id) : undefined;
    return opener !== undefined && opener.mark === mark && isWithin(opener.window, now);
  });
}

const kind: SignedKind<{ aud: string; id: string; locks: string[] }> = {
  type: 'dorlin-known',
  schema: z.strictObject({ aud: z.string(), id: z.string(), locks: z.array(z.string()) }),
};

/** Most locks that a browser is known at, so that the cookie stays small; the newest are kept. */
const maxLocks = 25;

export async function packKnownBrowser({ id, locks }: KnownBrowser, site: string, keys: KeyChain): Promise<string> {
  return sign({ aud: site, id, locks: locks.slice(-maxLocks) }, kind, keys);
}

export async function readKnownBrowser(
  cookie: string | undefined,
  site: string,
  keys: KeyChain,
): Promise<KnownBrowser | undefined> {
  const known = cookie === undefined ? undefined : await readSigned(cookie, kind, keys);
  return known?.aud === site ? known : undefined;
}
