import { randomBytes } from 'node:crypto';
import type { Visitor } from '../core/bypass/bypass.js';
import { deriveKeys } from '../core/passes/keys.js';
import { audienceOf, packPasses, type Pass } from '../core/passes/pass.js';
import type { Policy } from '../core/policy/types.js';
import { createGuard } from '../guard/guard.js';
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
 * What a guard with this policy answers such a visitor, who comes with a browser over https. The
 * guard is one of its own, with keys that nobody else has: nothing is counted, noted or let in
 * anywhere by it.
 *
 * @returns the status, undefined where the application answers; and the headers that are set
 */
export async function playVisit(
  policy: Policy,
  { target, visitor, passes, session, now }: PlayedVisit,
): Promise<{ readonly status: number | undefined; readonly headers: VerdictHeaders }> {
  const keys = await deriveKeys(randomBytes(32).toString('base64url'));
  const { address, person, roles, signedIn } = visitor;
  const guard = createGuard({
    policyFor: () => policy,
    keys,
    hasher: nativeHasher,
    verifier: nativeVerifier,
    counters: memoryCounters(),
    linkUses: { take: () => Promise.resolve(false) },
    random: randomBytes,
    clock: () => now,
    identify: () => ({ person, roles, signedIn }),
  });
  const bundle = await packPasses(passes, audienceOf(policy.site), keys);
  const verdict = await guard.answer({
    method: 'GET',
    target,
    encrypted: true,
    address,
    headers: {
      accept: 'text/html',
      'sec-fetch-dest': 'document',
      ...(passes.length === 0 ? {} : { cookie: passCookies(bundle, session) }),
    },
  });
  if (verdict.kind === 'answer') return { status: verdict.status, headers: verdict.headers };
  return {
    status: undefined,
    headers: verdict.kind === 'let-in' ? verdict.headers : {},
  };
}
