import { DorlinError } from '../core/errors.js';
import { deriveKeys } from '../core/passes/keys.js';
import { readPolicyOrThrow } from '../core/policy/read.js';
import type { Policy } from '../core/policy/types.js';
import type { GuardOptions } from '../guard/context.js';
import { createGuard, type Guard } from '../guard/guard.js';
import { boundedCounters } from './counters-bounded.js';
import { hashingQueue } from './hashing-queue.js';
import { sharedRefusalDelay } from './refusal-delay.js';
import { webHasher } from './web-hasher.js';

/** What a guard over a policy's text is told; what is left out is done in memory, on web standards alone. */
export interface TextGuardOptions extends Partial<
  Omit<GuardOptions, 'policyFor' | 'former' | 'keys' | 'random' | 'hasDraft'>
> {
  /** The secret that signs passes, of 32 characters at least; several separated by commas, of which the first signs. */
  readonly secret: string;
}

/**
 * A guard over the text of a policy, in any runtime: for workers and other places without files. The
 * policy counts as it is given; a new one is a new guard.
 *
 * Counters are this process's own unless others are given, and entry links with a number of uses
 * let nobody in without `linkUses`, as nothing here outlives a restart.
 *
 * @param text - a policy, as in `dorlin.yaml`
 * @throws DorlinError `policy-invalid`, `secret-missing`, `secret-weak`, `hash-unknown`
 *
 * @example
 * const guard = await guardFromText(policy, { secret: env.DORLIN_SECRET });
 * export default { fetch: guardFetch(guard, app.fetch) };
 */
export async function guardFromText(text: string, { secret, ...options }: TextGuardOptions): Promise<Guard> {
  const policy = readPolicyOrThrow(text, 'dorlin.yaml');
  const keys = await deriveKeys(secret);
  if (options.verifier === undefined) refuseImportedHashes(policy);
  return createGuard({
    hasher: hashingQueue()(webHasher),
    verifier: () => Promise.resolve(false),
    counters: boundedCounters(options.clock),
    linkUses: { take: () => Promise.resolve(false) },
    refusalDelay: sharedRefusalDelay,
    clock: () => Date.now() / 1000,
    ...options,
    keys,
    random: (count) => crypto.getRandomValues(new Uint8Array(count)),
    policyFor: () => policy,
  });
}

/** Told at the start, not when the first of these users is refused. */
function refuseImportedHashes({ locks }: Policy): void {
  for (const { name, importedUsers } of locks.values()) {
    const [user] = importedUsers;
    if (user === undefined) continue;
    throw new DorlinError('hash-unknown', `Nothing here can check the hash of ${user.label}, of the lock ${name}.`);
  }
}
