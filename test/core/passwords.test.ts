import assert from 'node:assert/strict';
import { randomBytes } from 'node:crypto';
import { describe, test } from 'node:test';
import { deriveKeys } from '../../src/core/passes/keys.js';
import { generatePassword } from '../../src/core/passwords/generate.js';
import { formatPhc, parsePhc } from '../../src/core/passwords/phc.js';
import { openRecall, sealRecall } from '../../src/core/passwords/recall.js';
import { hashPassword, matchPassword } from '../../src/core/passwords/shared-salt.js';
import { judgeStrength } from '../../src/core/passwords/strength.js';
import { words } from '../../src/core/passwords/words.js';
import { estimateGuesses } from '../../src/owner/passwords/estimate.js';
import { nativeHasher } from '../../src/stores/hasher.js';
import { testSecret } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

test('the words are 1,024, all different, plain and short', () => {
  assert.equal(words.length, 1024);
  assert.equal(new Set(words).size, 1024);
  for (const word of words) assert.match(word, /^[a-z]{3,9}$/);
});

test('a made password draws each word evenly and says its entropy', () => {
  const bytes = (count: number) => new Uint8Array(count).fill(255);
  assert.deepEqual(generatePassword(bytes, 3), { password: 'zither-zither-zither', bits: 30 });
  const seen = new Set(Array.from({ length: 3000 }, () => generatePassword(randomBytes).password.split('-')).flat());
  assert.ok(seen.size > 1000, `${seen.size} of 1,024 words in 12,000 draws`);
});

test('a PHC string is what it was', async () => {
  const made = await hashPassword('x', [], nativeHasher, randomBytes);
  const text = formatPhc(made);
  const parsed = parsePhc(text);
  assert.ok(parsed);
  assert.equal(formatPhc(parsed), text);
  assert.match(text, /^\$argon2id\$v=19\$m=19456,t=2,p=1\$/);
});

describe('trying a password', async () => {
  const policy = await testPolicy({
    members: { covers: ['/'], passwords: { aa: 'Plover kettle', bb: 'café', cc: 'three' } },
  });
  const lock = policy.locks.get('members');
  assert.ok(lock);
  const tried = async (typed: string) => {
    let hashes = 0;
    const counting: typeof nativeHasher = (...all) => {
      hashes++;
      return nativeHasher(...all);
    };
    return { id: (await matchPassword(typed, lock.passwords, counting))?.id, hashes };
  };
  const cases: [string, string | undefined, number][] = [
    ['Plover kettle', 'aa', 1],
    ['  Plover\u00a0kettle ', 'aa', 1],
    ['cafe\u0301', 'bb', 1],
    ['three', 'cc', 1],
    ['plover kettle', undefined, 1],
    ['', undefined, 0],
    ['   ', undefined, 0],
    ['x'.repeat(257), undefined, 0],
  ];
  for (const [typed, id, hashes] of cases) {
    test(`${JSON.stringify(typed.slice(0, 20))}: ${id ?? 'no'}, ${hashes} hash`, async () => {
      assert.deepEqual(await tried(typed), { id, hashes });
    });
  }
});

test('strength is said in words, and knows the site', () => {
  const judged = (password: string) => judgeStrength(password, ['Kestrelmoor', 'members'], estimateGuesses);
  assert.equal(judged('kestrelmoor1').verdict, 'guessable');
  assert.equal(judged('password').verdict, 'guessable');
  assert.match(judged('members2026').words, /^Guessable: about .* guesses would find it\./);
  assert.equal(judged('plover-kettle-amber-dome').verdict, 'strong');
});

test('a password is recalled with its secret, or an older one, and with no other', async () => {
  const keys = await deriveKeys(testSecret);
  const jwe = await sealRecall('plover', keys);
  assert.equal(await openRecall(jwe, keys), 'plover');
  assert.equal(await openRecall(jwe, await deriveKeys(`${'n'.repeat(40)},${testSecret}`)), 'plover');
  assert.equal(await openRecall(jwe, await deriveKeys('n'.repeat(40))), undefined);
  assert.equal(await openRecall('', keys), undefined);
  await assert.rejects(deriveKeys('short'), /fewer than 32/);
  await assert.rejects(deriveKeys(' , '), /empty/);
});
