import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { CompactSign, UnsecuredJWT } from 'jose';
import { deriveKeys } from '../../src/core/passes/keys.js';
import { newPass, packPasses, passStanding, readPasses, type Pass } from '../../src/core/passes/pass.js';
import { testSecret } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const keys = await deriveKeys(testSecret);
const now = 1_800_000_000;
const pass: Pass = { l: 'members', p: 'aa', m: 'abcdef', t: now };

describe('a cookie is believed only if it is ours, whole, and of this site', () => {
  test('what was packed is read', async () => {
    const cookie = await packPasses([pass], 'site', keys);
    assert.deepEqual(await readPasses(cookie, 'site', keys), [pass]);
    assert.deepEqual(await readPasses(cookie, 'other site', keys), []);
    assert.deepEqual(await readPasses(cookie, 'site', await deriveKeys('z'.repeat(40))), []);
    const renewed = await deriveKeys(`${'z'.repeat(40)},${testSecret}`);
    assert.deepEqual(await readPasses(cookie, 'site', renewed), [pass]);
  });
  test('no byte of it can be changed, cut or added', async () => {
    const cookie = await packPasses([pass], 'site', keys);
    await fc.assert(
      fc.asyncProperty(fc.nat(cookie.length - 1), fc.constantFrom('A', 'b', '-', '.', '', 'AA'), async (at, put) => {
        const forged = cookie.slice(0, at) + put + cookie.slice(at + 1);
        // The last letter of base64url has spare bits; a change of those alone is the same bytes.
        fc.pre(forged !== cookie && at < cookie.length - 1);
        assert.deepEqual(await readPasses(forged, 'site', keys), []);
      }),
      { numRuns: 400 },
    );
  });
  test('two cookies cannot be spliced', async () => {
    const one = (await packPasses([pass], 'site', keys)).split('.');
    const other = (await packPasses([{ ...pass, l: 'press' }], 'site', keys)).split('.');
    assert.deepEqual(await readPasses([one[0], other[1], one[2]].join('.'), 'site', keys), []);
  });
  test('no other algorithm, type or shape will do', async () => {
    const payload = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));
    const sign = (value: unknown, header: { alg: string; typ?: string }) =>
      new CompactSign(payload(value)).setProtectedHeader(header).sign(keys[0].pass);
    const good = { aud: 'site', passes: [pass] };
    const forged = [
      new UnsecuredJWT(good).encode(),
      await sign(good, { alg: 'HS256' }),
      await sign(good, { alg: 'HS256', typ: 'JWT' }),
      await sign({ ...good, extra: 1 }, { alg: 'HS256', typ: 'dorlin-pass' }),
      await sign({ aud: 'site', passes: [{ ...pass, t: 'now' }] }, { alg: 'HS256', typ: 'dorlin-pass' }),
      await sign([pass], { alg: 'HS256', typ: 'dorlin-pass' }),
      await new CompactSign(payload(good))
        .setProtectedHeader({ alg: 'HS256', typ: 'dorlin-pass' })
        .sign(keys[0].recall),
      '',
      '..',
      'x'.repeat(4000),
    ];
    for (const cookie of forged) assert.deepEqual(await readPasses(cookie, 'site', keys), []);
  });
});

describe('a pass counts by the policy of today', async () => {
  const lockWith = async (remember: string | { choice: string }, password = 'one') => {
    const lock = (await testPolicy({ members: { covers: ['/'], remember, passwords: { aa: password } } })).locks.get(
      'members',
    );
    assert.ok(lock?.passwords[0]);
    return { lock, password: lock.passwords[0] };
  };
  const month = await lockWith('30 days');
  const lasting = newPass(month.lock, month.password, now, undefined);
  const forVisit = newPass(month.lock, month.password, now, 'v1');
  const day = 86_400;
  const cases: [string, Pass, Awaited<ReturnType<typeof lockWith>>, number, string | undefined, string][] = [
    ['at once', lasting, month, now, undefined, 'counts'],
    ['a day before its end', lasting, month, now + 29 * day, undefined, 'counts'],
    ['at its end', lasting, month, now + 30 * day, undefined, 'too-old'],
    ['with the time shortened since', lasting, await lockWith('2 days'), now + 3 * day, undefined, 'too-old'],
    ['with the time shortened to a visit', lasting, await lockWith('visit'), now, undefined, 'no-longer-remembered'],
    ['as a choice', lasting, await lockWith({ choice: '30 days' }), now + 3 * day, undefined, 'counts'],
    ['in the same visit', forVisit, await lockWith('visit'), now + 3600, 'v1', 'counts'],
    ['in another visit', forVisit, await lockWith('visit'), now + 3600, 'v2', 'visit-over'],
    ['with no visit', forVisit, await lockWith('visit'), now + 3600, undefined, 'visit-over'],
    ['in a visit of more than a day', forVisit, await lockWith('visit'), now + day, 'v1', 'too-old'],
    ['in a visit, for a lock of an hour', forVisit, await lockWith('1 hour'), now + 3600, 'v1', 'too-old'],
    ['with the password changed', lasting, await lockWith('30 days', 'two'), now, undefined, 'ended'],
    ['from the future', { ...lasting, t: now + 61 }, month, now, undefined, 'not-yet'],
    ['with the password retired', { ...lasting, p: 'bb' }, month, now, undefined, 'ended'],
  ];
  for (const [name, given, { lock }, at, visit, expected] of cases) {
    test(`${name}: ${expected}`, () => {
      assert.equal(passStanding(given, lock, at, visit), expected);
    });
  }
});
