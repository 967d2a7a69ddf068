import { z } from 'zod';
import type { Lock } from '../policy/compile.js';
import type { Opener } from '../policy/openers.js';
import type { SiteDocument } from '../policy/schema.js';
import { isWithin } from '../windows/window.js';
import type { KeyChain } from './keys.js';
import { readSigned, sign, type SignedKind } from './signed.js';

/** The proof that a browser has opened a lock. The keys are short because cookies are small. */
const passSchema = z.strictObject({
  /** The lock's name. */
  l: z.string(),
  /** The id of what gave it: a password, a user or a link. */
  p: z.string(),
  /** The mark of that, which changes with it. */
  m: z.string(),
  /** When it was given, in seconds since 1970. */
  t: z.number().int(),
  /** The visit it is bound to; without it, the pass outlives the browser's closing. */
  v: z.string().optional(),
});
export type Pass = z.output<typeof passSchema>;

const bundleSchema = z.strictObject({ aud: z.string(), passes: z.array(passSchema) });

/** Most passes in one cookie, so that it stays under the 4,096 bytes that browsers keep. */
export const maxPasses = 30;

/** How long a pass for one visit counts at most, should the browser never be closed. In seconds. */
export const longestVisit = 24 * 60 * 60;

// A pass may come from another machine whose clock runs a little ahead.
const clockSkew = 60;

const kind: SignedKind<z.output<typeof bundleSchema>> = {
  type: 'dorlin-pass',
  schema: bundleSchema,
};

/** What passes and links are bound to, so that those of another site with the same secret fail. */
export function audienceOf({ origin, name }: SiteDocument): string {
  return origin ?? name;
}

/** Packs passes into one signed text for a cookie. */
export async function packPasses(
  passes: readonly Pass[],
  site: string,
  keys: KeyChain,
): Promise<string> {
  return sign({ aud: site, passes: [...passes] }, kind, keys);
}

/**
 * The passes in a cookie; none if any doubt remains about it. Whether they still count is asked of
 * {@link passStanding}.
 */
export async function readPasses(
  cookie: string,
  site: string,
  keys: KeyChain,
): Promise<readonly Pass[]> {
  const bundle = await readSigned(cookie, kind, keys);
  return bundle?.aud === site ? bundle.passes : [];
}

/** Whether a pass counts, or why it no longer does. */
export type PassStanding =
  'counts' | 'ended' | 'not-now' | 'not-yet' | 'too-old' | 'visit-over' | 'no-longer-remembered';

/** Judges a verified pass of this lock by the policy of today, not of the day it was given. */
export function passStanding(
  pass: Pass,
  lock: Lock,
  now: number,
  visit: string | undefined,
): PassStanding {
  const opener = lock.openers.get(pass.p);
  if (opener?.mark !== pass.m) return 'ended';
  if (!isWithin(opener.window, now)) return 'not-now';
  if (pass.t > now + clockSkew) return 'not-yet';
  const { remember } = lock;
  if (pass.v !== undefined) {
    if (pass.v !== visit) return 'visit-over';
    const limit =
      remember.kind === 'span' ? Math.min(remember.seconds, longestVisit) : longestVisit;
    return now < pass.t + limit ? 'counts' : 'too-old';
  }
  if (remember.kind === 'visit') return 'no-longer-remembered';
  return now < pass.t + remember.seconds ? 'counts' : 'too-old';
}

/** A pass by what just opened a lock. `visit` is given where it shall end with the visit. */
export function newPass(lock: Lock, opener: Opener, now: number, visit: string | undefined): Pass {
  const pass = { l: lock.name, p: opener.id, m: opener.mark, t: Math.floor(now) };
  return visit === undefined ? pass : { ...pass, v: visit };
}
