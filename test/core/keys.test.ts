import type { HashCost, PasswordHasher } from '../../src/core/ports.js';
import assert from 'node:assert/strict';
import { createHmac, hkdfSync } from 'node:crypto';
import { describe, test } from 'node:test';
import { entryToken, linkOfToken } from '../../src/core/passes/entry-link.js';
import { deriveKeys } from '../../src/core/passes/keys.js';
import { packKnownBrowser, readKnownBrowser } from '../../src/core/passes/known-browser.js';
import { equalBytes, hashPassword, matchPassword, sharesSalt } from '../../src/core/passwords/shared-salt.js';
import { packPasses, readPasses } from '../../src/core/passes/pass.js';
import { formatPhc, parsePhc } from '../../src/core/passwords/phc.js';
import { testSecret } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

describe('keys', () => {
  test('one for each purpose, as HKDF-SHA-256 gives them (RFC 5869), computed here in another way', async () => {
    const [keys] = await deriveKeys(testSecret);
    const expected = (purpose: string) =>
      Buffer.from(hkdfSync('sha256', testSecret, Buffer.alloc(32), `dorlin 1 ${purpose}`, 32));
    for (const purpose of ['pass', 'link', 'recall', 'sealing', 'credentials'] as const)
      assert.deepEqual(Buffer.from(keys[purpose]), expected(purpose), purpose);
    assert.equal(new Set(Object.values(keys).map((key) => Buffer.from(key).toString('hex'))).size, 5);
  });
  test('secrets are separated by commas; short ones and none are refused', async () => {
    const other = 'another secret that is long enough for it';
    const both = await deriveKeys(` ${testSecret} ,, ${other} `);
    assert.equal(both.length, 2);
    assert.deepEqual(both[1], (await deriveKeys(other))[0]);
    await assert.rejects(deriveKeys(' , '), { code: 'secret-missing' });
    await assert.rejects(deriveKeys(`${testSecret},${'x'.repeat(31)}`), { code: 'secret-weak' });
    assert.equal((await deriveKeys('x'.repeat(32))).length, 1);
  });
});

describe('an entry token', () => {
  const lockOf = async (until: string) => {
    const links = [{ id: 'herald', label: 'Herald desk', until }];
    const policy = await testPolicy({ press: { covers: ['/press/'], links } });
    const lock = policy.locks.get('press');
    const link = lock?.links[0];
    assert.ok(lock !== undefined && link !== undefined);
    return { policy, lock, link };
  };
  test('is what it was when links were handed out, and is made of the link’s key alone', async () => {
    const { policy, lock, link } = await lockOf('2030-01-01');
    const chain = await deriveKeys(testSecret);
    const token = await entryToken(lock, link, policy, chain);
    assert.equal(token, knownToken);
    assert.equal((await linkOfToken(token, policy, chain))?.link, link);
    const mac = (key: Uint8Array) => createHmac('sha256', key).update('x').digest('hex');
    assert.notEqual(mac(chain[0].link), mac(chain[0].pass));
    const swapped = [{ ...chain[0], link: chain[0].credentials }] as const;
    assert.equal(await linkOfToken(token, policy, swapped), undefined);
    for (let at = 0; at < token.length; at++) {
      const letter: string = token[at] === 'A' ? 'B' : 'A';
      const bent: string = token.slice(0, at) + letter + token.slice(at + 1);
      if (Buffer.from(bent, 'base64url').equals(Buffer.from(token, 'base64url'))) continue;
      assert.equal(await linkOfToken(bent, policy, chain), undefined, bent);
    }
  });
});
const knownToken = 'press.herald.AU_qGy2x32mO7eLnRswxQQ';

test('a pass counts in the one spelling in which it was made', async () => {
  const keys = await deriveKeys(testSecret);
  const text = await packPasses([{ l: 'a', p: 'aa', m: 'm', t: 1 }], 'x', keys);
  assert.equal((await readPasses(text, 'x', keys)).length, 1);
  const [head = '', said = '', mark = ''] = text.split('.');
  // 43 letters have two bits more than 32 bytes: four letters at the end mean the same to a decoder.
  const letters = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_';
  const last = letters[letters.indexOf(mark.at(-1) ?? '') ^ 1] ?? '';
  for (const other of [
    `${head}.${said}.${mark.slice(0, 20)} ${mark.slice(20)}`,
    `${head}.${said}.${mark.slice(0, -1)}${last}`,
    `${text}=`,
    `${text}\n`,
    ` ${text}`,
    `${head}.${said}.${mark}.`,
    `${head}.${said} .${mark}`,
  ])
    assert.deepEqual(await readPasses(other, 'x', keys), [], JSON.stringify(other));
});

test('a browser is known at its own site alone', async () => {
  const chain = await deriveKeys(testSecret);
  const browser = { id: 'b', locks: ['members aa mark'] };
  const cookie = await packKnownBrowser(browser, 'https://a.example', chain);
  assert.equal((await readKnownBrowser(cookie, 'https://a.example', chain))?.id, 'b');
  assert.equal(await readKnownBrowser(cookie, 'https://b.example', chain), undefined);
  assert.equal(await readKnownBrowser(undefined, 'https://a.example', chain), undefined);
});

test('a browser is known at the 25 locks that it opened last', async () => {
  const chain = await deriveKeys(testSecret);
  const locks = Array.from({ length: 30 }, (_, at) => `l${at} aa mark`);
  const cookie = await packKnownBrowser({ id: 'b', locks }, 'site', chain);
  assert.deepEqual((await readKnownBrowser(cookie, 'site', chain))?.locks, locks.slice(5));
});

describe('passwords with one salt', () => {
  test('share it only where one run serves both', () => {
    const cost = { algorithm: 'argon2id', memoryKib: 64, passes: 2, lanes: 1, length: 32 } as const;
    const one = { salt: new Uint8Array(16), cost, hash: new Uint8Array(32) };
    assert.equal(sharesSalt(one, { ...one, hash: new Uint8Array(32).fill(1) }), true);
    assert.equal(sharesSalt(one, { ...one, salt: new Uint8Array(16).fill(1) }), false);
    for (const key of ['memoryKib', 'passes', 'lanes', 'length'] as const)
      assert.equal(sharesSalt(one, { ...one, cost: { ...cost, [key]: 9 } }), false, key);
  });
  test('bytes are equal when all are, of one length', () => {
    const bytes = Uint8Array.from({ length: 32 }, (_, at) => at * 7);
    assert.equal(equalBytes(bytes, bytes.slice()), true);
    for (let at = 0; at < 32; at++) {
      const other = bytes.slice();
      other[at] = (other[at] ?? 0) ^ 1;
      assert.equal(equalBytes(bytes, other), false, `byte ${at}`);
    }
    assert.equal(equalBytes(bytes, bytes.subarray(0, 31)), false);
    assert.equal(equalBytes(bytes.subarray(0, 31), bytes), false);
    assert.equal(equalBytes(new Uint8Array(2), new Uint8Array(3)), false);
  });
  test('a new one takes the salt and the cost of those that are there', async () => {
    const salts: string[] = [];
    const costs: HashCost[] = [];
    const hasher: PasswordHasher = (_, salt, cost) => {
      salts.push(Buffer.from(salt).toString('hex'));
      costs.push(cost);
      return Promise.resolve(new Uint8Array(32).fill(3));
    };
    let drawn = 0;
    const random = (count: number) => new Uint8Array(count).fill(++drawn);
    const first = await hashPassword('a', [], hasher, random);
    assert.equal(first.salt.length, 16);
    const cost = { algorithm: 'pbkdf2-sha512', rounds: 10_000, length: 32 } as const;
    const cheap = formatPhc({ ...first, cost });
    const second = await hashPassword('b', ['not a hash', cheap], hasher, random);
    assert.deepEqual([drawn, salts[1], costs], [1, salts[0], [first.cost, cost]]);
    assert.deepEqual(parsePhc(formatPhc(second))?.salt, first.salt);
  });
  test('256 letters are hashed, 257 are not, nor are spaces', async () => {
    let hashed = 0;
    const hasher = () => {
      hashed++;
      return Promise.resolve(new Uint8Array(32));
    };
    const parsedHash = await hashPassword('a', [], hasher, (count) => new Uint8Array(count));
    const typed = async (text: string) => {
      hashed = 0;
      const found = await matchPassword(text, [{ parsedHash }], hasher);
      return [hashed, found !== undefined];
    };
    assert.deepEqual(await typed('x'.repeat(256)), [1, true]);
    assert.deepEqual(await typed('x'.repeat(257)), [0, false]);
    assert.deepEqual(await typed(' \u00a0\u3000 '), [0, false]);
    assert.deepEqual(await typed(` ${'x'.repeat(256)}\u2003`), [1, true]);
  });
});
