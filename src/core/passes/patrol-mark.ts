import * as z from 'zod';
import type { KeyChain } from './keys.js';
import { readSigned, sign, type SignedKind } from './signed.js';

/** The header by which a patrol says what it is. */
export const patrolHeader = 'dorlin-patrol';

const kind: SignedKind<{ aud: string; until: number }> = {
  type: 'dorlin-patrol',
  schema: z.strictObject({ aud: z.string(), until: z.number() }),
};

/** Longer ones are none; to look at one costs as much as to look at a pass. */
const longest = 1000;

/**
 * What a patrol says of itself, signed: were its word enough, whoever guesses could say the same and be
 * left out of what the owner counts.
 *
 * @param until - when it ends, in seconds since 1970
 */
export const patrolMark = (site: string, until: number, keys: KeyChain): Promise<string> =>
  sign({ aud: site, until }, kind, keys);

/** Whether a header is the word of a patrol with the site's own secret. */
export async function isPatrolMark(header: string, site: string, now: number, keys: KeyChain): Promise<boolean> {
  if (header.length > longest) return false;
  const mark = await readSigned(header, kind, keys);
  return mark?.aud === site && now < mark.until;
}
