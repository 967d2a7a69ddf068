import { z } from 'zod';
import type { EntryLink, Lock, Policy } from '../policy/compile.js';
import type { KeyChain } from './keys.js';
import { audienceOf } from './pass.js';
import { readSigned, sign, type SignedKind } from './signed.js';

// Names the link only: when it ends and where it lands is the policy's to say, on that day.
const kind: SignedKind<{ aud: string; l: string; k: string }> = {
  type: 'dorlin-link',
  schema: z.strictObject({ aud: z.string(), l: z.string(), k: z.string() }),
};

/** Longest token that is looked at. */
const maxTokenLength = 2048;

/** The token of an entry link: the same one each time, so that it can be looked up again. */
export async function entryToken(
  lock: Lock,
  link: EntryLink,
  { site }: Policy,
  keys: KeyChain,
): Promise<string> {
  return sign({ aud: audienceOf(site), l: lock.name, k: link.id }, kind, keys);
}

/** The link that a token stands for, if the policy still has it; its window is not looked at. */
export async function linkOfToken(
  token: string | undefined,
  policy: Policy,
  keys: KeyChain,
): Promise<{ readonly lock: Lock; readonly link: EntryLink } | undefined> {
  if (token === undefined || token.length > maxTokenLength) return undefined;
  const said = await readSigned(token, kind, keys);
  if (said?.aud !== audienceOf(policy.site)) return undefined;
  const lock = policy.locks.get(said.l);
  const link = lock?.links.find(({ id }) => id === said.k);
  return lock === undefined || link === undefined ? undefined : { lock, link };
}
