import assert from 'node:assert/strict';
import { test } from 'node:test';
import { findLocksBefore, locksBefore } from '../../src/core/decide.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { seededRandom } from '../support/random.js';

const policyOf = (covers: string, times = '') =>
  readPolicyOrThrow(`dorlin: 1\nsite: { name: S }\nlocks:\n  a: { covers: [${covers}]${times} }\n`, 'p');
const policies = [
  policyOf('/'),
  policyOf('/press/'),
  policyOf('/press/a', ', from: 1970-01-01T00:10:00Z, until: 1970-01-01T00:20:00Z'),
  policyOf('/press/', ', enabled: false'),
];

test('what stands before an address is the same whether it was asked for before or not', () => {
  const random = seededRandom(5);
  let locked = 0;
  for (let round = 0; round < 30_000; round++) {
    const policy = policies[random.below(policies.length)] ?? policies[0];
    // A few often, many once: both generations are filled and thrown away.
    const name = random.chance() ? ['a', 'A', 'b', '', '%61', '..', '%'][random.below(7)] : `n${round}`;
    const target = `${random.chance() ? '/press/' : '/'}${name ?? ''}${random.below(50) === 0 ? 'x'.repeat(300) : ''}`;
    const now = random.below(1800);
    assert.ok(policy !== undefined);
    const standing = locksBefore(policy, target, now);
    assert.deepEqual(standing, findLocksBefore(policy, target, now), `${target} at ${now}`);
    if (standing.kind === 'locked') locked++;
  }
  assert.ok(locked > 5000);
});

test('an address that many ask for is not forgotten for others that are asked for once', () => {
  const [policy] = policies;
  assert.ok(policy !== undefined);
  const first = locksBefore(policy, '/kept', 1);
  for (let round = 0; round < 10_000; round++) {
    locksBefore(policy, `/other/${round}`, 1);
    if (round % 1000 === 0) assert.equal(locksBefore(policy, '/kept', 1), first);
  }
  assert.notEqual(findLocksBefore(policy, '/kept', 1), first);
});
