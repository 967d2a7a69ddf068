import * as z from 'zod';
import type { Lock } from '../policy/types.js';
import type { Opener } from '../policy/openers.js';
import type { SiteDocument } from '../policy/document.js';
import { isWithin } from '../windows/window.js';
import type { KeyChain } from './keys.js';
import { readSigned, sign, type SignedKind } from './signed.js';

/** The proof that a browser has opened a lock. The keys are short because cookies are small. */
/** What is kept in the browser of one lock that was opened. Short names, as cookies are. */
export interface Pass {
  /** The lock's name. */
  readonly l: string;
  /** The id of what gave it: a password, a user or a link. */
  readonly p: string;
  /** The mark of that, which changes with it. */
  readonly m: string;
  /** When it was given, in seconds since 1970. */
  readonly t: number;
  /** The session of the browser that it is bound to; without it, the pass outlives the browser's closing. */
  readonly v?: string | undefined;
  /** When it ends whatever the lock remembers, in seconds since 1970: the end of a link of one's own. */
  readonly e?: number | undefined;
}

const passSchema: z.ZodType<Pass> = z.strictObject({
  l: z.string(),
  p: z.string(),
  m: z.string(),
  t: z.number().int(),
  v: z.string().optional(),
  e: z.number().int().optional(),
});

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
export function audienceOf({ id, origin, name }: SiteDocument): string {
  return id ?? origin ?? name;
}

/** Packs passes into one signed text for a cookie. */
export async function packPasses(passes: readonly Pass[], site: string, keys: KeyChain): Promise<string> {
  return sign({ aud: site, passes: [...passes] }, kind, keys);
}

/**
 * The passes in a cookie; none if any doubt remains about it. Whether they still count is asked of
 * {@link passStanding}.
 */
export async function readPasses(cookie: string, site: string, keys: KeyChain): Promise<readonly Pass[]> {
  const bundle = await readSigned(cookie, kind, keys);
  return bundle?.aud === site ? bundle.passes : [];
}

/** Whether a pass counts, or why it no longer does. */
export type PassStanding =
  'counts' | 'ended' | 'not-now' | 'not-yet' | 'too-old' | 'visit-over' | 'no-longer-remembered';

/** Judges a verified pass of this lock by the policy of today, not of the day it was given. */
export function passStanding(pass: Pass, lock: Lock, now: number, session: string | undefined): PassStanding {
  const opener = lock.openers.get(pass.p);
  if (opener?.mark !== pass.m) return 'ended';
  if (!isWithin(opener.window, now)) return 'not-now';
  if (pass.e !== undefined && now >= pass.e) return 'not-now';
  if (pass.t > now + clockSkew) return 'not-yet';
  const { remember } = lock;
  if (pass.v !== undefined) {
    if (pass.v !== session) return 'visit-over';
    const limit = remember.kind === 'span' ? Math.min(remember.seconds, longestVisit) : longestVisit;
    return now < pass.t + limit ? 'counts' : 'too-old';
  }
  if (remember.kind === 'visit') return 'no-longer-remembered';
  return now < pass.t + remember.seconds ? 'counts' : 'too-old';
}

/**
 * A pass by what just opened a lock. `session` is given where it shall end with that, `until` where it has
 * an end of its own.
 */
export function newPass(lock: Lock, opener: Opener, now: number, session: string | undefined, until?: number): Pass {
  const pass = { l: lock.name, p: opener.id, m: opener.mark, t: Math.floor(now) };
  return {
    ...pass,
    ...(session !== undefined && { v: session }),
    ...(until !== undefined && { e: Math.floor(until) }),
  };
}
