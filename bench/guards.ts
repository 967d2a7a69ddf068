import { randomBytes } from 'node:crypto';
import { deriveKeys } from '../src/core/passes/keys.js';
import { createGuard, type Guard } from '../src/guard/guard.js';
import { memoryCounters } from '../src/stores/counters-memory.js';
import { testPolicy } from '../test/support/policies.js';
import { report, type Figure } from './figures.js';

const count = 500;

/** What one more guard takes of the memory of a process that has many, each with a policy of its own. */
export async function benchGuards(): Promise<Figure[]> {
  const policyOf = (at: number) => testPolicy({ members: { covers: [`/members-${at}/`], passwords: { aa: 'one' } } });
  const policies = await Promise.all(Array.from({ length: count }, (_, at) => policyOf(at)));
  const keys = await deriveKeys('a secret for the bench and long enough');
  const counters = memoryCounters();
  const visit = {
    method: 'GET',
    target: '/about',
    headers: { host: 'a.example' },
    encrypted: false,
  };
  const guards: Guard[] = [];
  const make = (at: number) => {
    const policy = policies[at];
    const guard = createGuard({
      policyFor: () => policy,
      keys,
      counters,
      hasher: () => Promise.reject(new Error('not here')),
      verifier: () => Promise.reject(new Error('not here')),
      linkUses: { take: () => Promise.resolve(false) },
      random: randomBytes,
      clock: () => 1_800_000_000,
    });
    guards.push(guard);
    return guard.answer(visit);
  };
  await make(0);
  globalThis.gc?.();
  const before = process.memoryUsage().heapUsed;
  for (let at = 1; at < count; at++) await make(at);
  globalThis.gc?.();
  const each = (process.memoryUsage().heapUsed - before) / 1024 / (count - 1);
  return [
    report('memory of one more guard, its policy aside', each, 'KiB', globalThis.gc ? { atMost: 16 } : {}),
    report('guards kept', guards.length, ''),
  ];
}
