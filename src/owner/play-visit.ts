import { randomBytes } from 'node:crypto';
import type { Visitor } from '../core/bypass/bypass.js';
import { deriveKeys, type KeyChain } from '../core/passes/keys.js';
import { audienceOf, packPasses, type Pass } from '../core/passes/pass.js';
import type { Policy } from '../core/policy/types.js';
import type { GuardOptions } from '../guard/context.js';
import { createGuard, type Guard } from '../guard/guard.js';
import { passCookies } from '../guard/visit/cookies.js';
import type { VerdictHeaders } from '../guard/visit/visit.js';
import { memoryCounters } from '../stores/counters-memory.js';
import { nativeHasher } from '../stores/hasher.js';
import { nativeVerifier } from '../stores/htpasswd-hashes.js';

/** Who visits what. */
export interface PlayedVisit {
  readonly target: string;
  readonly visitor: Visitor;
  readonly passes: readonly Pass[];
  /** The mark of the session that passes for one visit are bound to: 22 letters. */
  readonly session: string;
  /** In seconds since 1970. */
  readonly now: number;
}

/**
 * A guard that plays one visitor: nothing is counted, noted, sent or let in anywhere by it.
 *
 * @param keys - its own, which nobody else has
 */
export function guardPlaying(
  policy: Policy,
  { visitor, now }: Pick<PlayedVisit, 'visitor' | 'now'>,
  keys: KeyChain,
  keptFile?: GuardOptions['keptFile'],
): Guard {
  const { person, roles, signedIn } = visitor;
  return createGuard({
    policyFor: () => policy,
    keys,
    hasher: nativeHasher,
    verifier: nativeVerifier,
    counters: memoryCounters(),
    linkUses: { take: () => Promise.resolve(false) },
    keptFile,
    random: randomBytes,
    clock: () => now,
    identify: () => ({ person, roles, signedIn }),
  });
}

/** The cookies of somebody with these passes; undefined without any. */
export async function cookiesPlaying(
  policy: Policy,
  { passes, session }: Pick<PlayedVisit, 'passes' | 'session'>,
  keys: KeyChain,
): Promise<string | undefined> {
  if (passes.length === 0) return undefined;
  return passCookies(await packPasses(passes, audienceOf(policy.site), keys), session);
}

/**
 * What a guard with this policy answers such a visitor, who comes with a browser over https.
 *
 * @returns the status, undefined where the application answers; and the headers that are set
 */
export async function playVisit(
  policy: Policy,
  played: PlayedVisit,
): Promise<{ readonly status: number | undefined; readonly headers: VerdictHeaders }> {
  const keys = await deriveKeys(randomBytes(32).toString('base64url'));
  const cookie = await cookiesPlaying(policy, played, keys);
  const verdict = await guardPlaying(policy, played, keys).answer({
    method: 'GET',
    target: played.target,
    encrypted: true,
    address: played.visitor.address,
    headers: {
      accept: 'text/html',
      'sec-fetch-dest': 'document',
      ...(cookie !== undefined && { cookie }),
    },
  });
  if (verdict.kind === 'answer') return { status: verdict.status, headers: verdict.headers };
  return {
    status: undefined,
    headers: verdict.kind === 'let-in' ? verdict.headers : {},
  };
}
