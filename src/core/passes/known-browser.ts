import { z } from 'zod';
import type { KeyChain } from './keys.js';
import { readSigned, sign, type SignedKind } from './signed.js';

/**
 * A browser that has opened locks before. For those it keeps a budget of tries of its own, so
 * that a stranger who uses up everybody's cannot lock it out. For any other lock it is a stranger:
 * else one known password would buy any number of fresh budgets against the others.
 */
export interface KnownBrowser {
  readonly id: string;
  readonly locks: readonly string[];
}

const kind: SignedKind<{ aud: string; id: string; locks: string[] }> = {
  type: 'dorlin-known',
  schema: z.strictObject({ aud: z.string(), id: z.string(), locks: z.array(z.string()) }),
};

/** Most locks that a browser is known at; the newest are kept. */
const maxLocks = 40;

export async function packKnownBrowser(
  { id, locks }: KnownBrowser,
  site: string,
  keys: KeyChain,
): Promise<string> {
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
