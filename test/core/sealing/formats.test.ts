import assert from 'node:assert/strict';
import { createDecipheriv, pbkdf2Sync } from 'node:crypto';
import { createRequire } from 'node:module';
import { test } from 'node:test';
import fc from 'fast-check';
import { generalDecrypt, GeneralEncrypt } from 'jose';
import { areaName, keyId, makeAreaKey, makeDoors, openDoor } from '../../../src/core/sealing/areas.js';
import { fromBase64Url, toBase64Url, utf8 } from '../../../src/core/sealing/bytes.js';
import { makeKeyring, openKeyring, type Keyring } from '../../../src/core/sealing/keyring.js';
import { layoutOf, paddingFor, readHeader, recordNonce, sealedLength } from '../../../src/core/sealing/records.js';
import { openBytes, sealBytes } from '../../../src/core/sealing/sealed-bytes.js';

/** An independent reader and writer of RFC 8188. */
const ece = createRequire(import.meta.url)('http_ece') as Record<
  'encrypt' | 'decrypt',
  (bytes: Buffer, how: object) => Buffer
>;
const hkdf = (bytes: Uint8Array<ArrayBuffer>) =>
  crypto.subtle.importKey('raw', bytes, 'HKDF', false, ['deriveKey', 'deriveBits']);
const areaBytes = utf8('sixteen letters!');
const area = await hkdf(areaBytes);
const salt = new Uint8Array(16).map((_, at) => at * 7);
const rounds = 1000;

test('the examples of RFC 8188 are opened, and made', async () => {
  const first = fromBase64Url('I1BsxtFttlv3u_Oo94xnmwAAEAAA-NAVub2qFgBEuQKRapoZu-IxkIva3MEB1PD-ly8Thjg');
  const key = await hkdf(fromBase64Url('yqdlZ-tYemfogSmv7Ws5PQ'));
  assert.equal(new TextDecoder().decode(await openBytes(first, key)), 'I am the walrus');
  const made = await sealBytes(utf8('I am the walrus'), key, first.slice(0, 16), { recordSize: 4096, padding: 0 });
  assert.equal(toBase64Url(made), toBase64Url(first));
  // Two records, and a key id, which is passed over.
  const second = fromBase64Url(
    'uNCkWiNYzKTnBN9ji3-qWAAAABkCYTHOG8chz_gnvgOqdGYovxyjuqRyJFjEDyoF1Fvkj6hQPdPHI51OEUKEpgz3SsLWIqS_uA',
  );
  const other = await hkdf(fromBase64Url('BO3ZVPxUlnLORbVGMpbT1Q'));
  assert.equal(new TextDecoder().decode(await openBytes(second, other)), 'I am the walrus');
});

test('whatever is sealed is opened by another reader, and what that seals by ours', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.uint8Array({ maxLength: 900 }),
      fc.integer({ min: 18, max: 300 }),
      fc.nat(400),
      async (content, recordSize, padding) => {
        const sealed = await sealBytes(content, area, salt, { recordSize, padding });
        assert.equal(sealed.length, sealedLength(layoutOf(content.length, padding, recordSize)));
        assert.deepEqual(new Uint8Array((await openBytes(sealed, area)) ?? []), new Uint8Array(content));
        const how = { version: 'aes128gcm', key: Buffer.from(areaBytes) };
        assert.deepEqual(new Uint8Array(ece.decrypt(Buffer.from(sealed), how)), new Uint8Array(content));
        const theirs = ece.encrypt(Buffer.from(content), { ...how, salt: Buffer.from(salt), rs: recordSize });
        assert.deepEqual(new Uint8Array((await openBytes(theirs, area)) ?? []), new Uint8Array(content));
      },
    ),
    { numRuns: 60 },
  );
});

test('another bit, a record less, more, twice or out of order opens nothing', async () => {
  const content = new Uint8Array(300).map((_, at) => at);
  const sealed = await sealBytes(content, area, salt, { recordSize: 100, padding: 20 });
  const pieces = [sealed.subarray(0, 21), ...[0, 1, 2, 3].map((at) => sealed.subarray(21 + at * 100, 121 + at * 100))];
  const built = (...order: number[]) => Buffer.concat(order.map((at) => pieces[at] ?? new Uint8Array()));
  assert.ok(await openBytes(built(0, 1, 2, 3, 4), area));
  for (const order of [
    [0],
    [0, 1],
    [0, 1, 2, 3],
    [0, 2, 1, 3, 4],
    [0, 1, 1, 2, 3, 4],
    [0, 1, 2, 3, 4, 4],
    [1, 2, 3, 4],
  ]) {
    assert.equal(await openBytes(built(...order), area), undefined, order.join());
  }
  for (let at = 0; at < sealed.length * 8; at += 37) {
    const changed = Uint8Array.from(sealed);
    changed[at >> 3] = (changed[at >> 3] ?? 0) ^ (1 << (at & 7));
    assert.equal(await openBytes(changed, area), undefined, `bit ${at}`);
  }
  assert.equal(await openBytes(Buffer.concat([sealed, Buffer.of(0)]), area), undefined);
  assert.equal(await openBytes(sealed, await hkdf(utf8('another area key'))), undefined);
  for (const size of [0, 1, 17, 2 ** 31]) {
    const header = Uint8Array.from(sealed);
    new DataView(header.buffer).setUint32(16, size);
    assert.equal(readHeader(header), undefined);
  }
});

test('records beyond four thousand million have nonces of their own, and lengths tell little', () => {
  const nonce = new Uint8Array(12);
  const seen = new Set([0, 1, 2 ** 31, 2 ** 32 - 1, 2 ** 32, 2 ** 33].map((at) => recordNonce(nonce, at).join()));
  assert.equal(seen.size, 6);
  for (const length of [0, 1, 100, 9_999, 65_519, 1_000_003, 2 ** 31]) {
    assert.ok(paddingFor(length) <= Math.max(8, length * 0.12), `${length} + ${paddingFor(length)}`);
  }
  const kinds = new Set(Array.from({ length: 5000 }, (_, at) => 10_000 + at + paddingFor(10_000 + at)));
  assert.ok(kinds.size < 30, `${kinds.size}`);
});

const lockKey = utf8('a lock key has thirty-two bytes.');
const passwords = [
  { id: 'aa', password: 'comet lantern' },
  { id: 'bb', password: 'señal de niebla' },
];

test('a keyring opens by each of its passwords and by nothing else, and is read by another library', async () => {
  const ring = await makeKeyring(lockKey, passwords, rounds);
  assert.deepEqual(await makeKeyring(lockKey, passwords, rounds), ring, 'the same gives the same');
  for (const { id, password } of passwords) {
    assert.equal((await openKeyring(ring, password))?.id, id);
    const { plaintext } = await generalDecrypt({ ...ring, recipients: [...ring.recipients] }, utf8(password), {
      keyManagementAlgorithms: ['PBES2-HS512+A256KW'],
      maxPBES2Count: rounds,
    });
    assert.deepEqual(new Uint8Array(plaintext), lockKey);
  }
  for (const wrong of ['', 'comet', 'Comet lantern', 'comet lantern ']) {
    assert.equal(await openKeyring(ring, wrong), undefined);
  }
  // Whoever is taken out is not in the next one.
  const next = await makeKeyring(lockKey, passwords.slice(0, 1), rounds);
  assert.equal(await openKeyring(next, 'señal de niebla'), undefined);
});

test('whoever has the key of a lock can compute all that is published of its keyring but what PBKDF2 made', async () => {
  const withoutPasswords = await makeKeyring(lockKey, [], rounds);
  for (const some of [passwords, passwords.slice(1), [{ id: 'cc', password: 'another one' }]]) {
    const { recipients, ...published } = await makeKeyring(lockKey, some, rounds);
    // No password text is in any of it: it is the same for these, for others and for none.
    assert.deepEqual({ ...published, recipients: [] }, { ...withoutPasswords, recipients: [] });
    for (const [at, { encrypted_key }] of recipients.entries()) {
      // Each is the content key, wrapped by 256 bits that only all the rounds give (RFC 7518 section 4.8).
      const header = JSON.parse(Buffer.from(published.protected, 'base64url').toString()) as {
        p2s: string;
        p2c: number;
      };
      const salt = Buffer.concat([Buffer.from('PBES2-HS512+A256KW\0'), Buffer.from(header.p2s, 'base64url')]);
      const by = pbkdf2Sync(some[at]?.password ?? '', salt, header.p2c, 32, 'sha512');
      const unwrap = createDecipheriv('id-aes256-wrap', by, Buffer.from('A6A6A6A6A6A6A6A6', 'hex'));
      const content = Buffer.concat([unwrap.update(Buffer.from(encrypted_key, 'base64url')), unwrap.final()]);
      const open = createDecipheriv('aes-256-gcm', content, Buffer.from(published.iv, 'base64url'));
      open.setAAD(Buffer.from(published.protected)).setAuthTag(Buffer.from(published.tag, 'base64url'));
      const opened = Buffer.concat([open.update(Buffer.from(published.ciphertext, 'base64url')), open.final()]);
      assert.deepEqual(new Uint8Array(opened), lockKey);
    }
  }
  // Another key, or another number of rounds, never seals under the same nonce.
  const others = [
    await makeKeyring(utf8('another key has thirty-two bytes'), passwords, rounds),
    await makeKeyring(lockKey, passwords, rounds + 1),
  ];
  for (const other of others) assert.notEqual(other.iv, withoutPasswords.iv);
});

test('a keyring that another library made opens here; one that was changed does not', async () => {
  const theirs = await new GeneralEncrypt(lockKey)
    .setProtectedHeader({ alg: 'PBES2-HS512+A256KW', enc: 'A256GCM' })
    .addRecipient(utf8('comet lantern'))
    .setKeyManagementParameters({ p2c: rounds })
    .encrypt();
  assert.ok(await openKeyring(theirs as Keyring, 'comet lantern'));
  assert.equal(await openKeyring(theirs as Keyring, 'comet'), undefined);
  const ring = await makeKeyring(lockKey, passwords, rounds);
  const header = JSON.parse(Buffer.from(ring.protected, 'base64url').toString()) as Record<string, unknown>;
  const withHeader = (more: object) => ({
    ...ring,
    protected: toBase64Url(utf8(JSON.stringify({ ...header, ...more }))),
  });
  for (const changed of [
    withHeader({ p2c: 999 }),
    withHeader({ p2c: 2 ** 40 }),
    withHeader({ alg: 'dir' }),
    { ...ring, tag: ring.iv },
    { ...ring, ciphertext: ring.tag },
    { ...ring, protected: 'no JSON' },
  ]) {
    assert.equal(await openKeyring(changed, 'comet lantern'), undefined);
  }
});

test('an area opens by any of its alternatives, of which every lock is needed', async () => {
  const keys = new Map(['a', 'b', 'c'].map((name) => [name, crypto.getRandomValues(new Uint8Array(32))]));
  const held = new Map(await Promise.all([...keys].map(async ([name, key]) => [name, await hkdf(key)] as const)));
  const alternatives = [['c'], ['b', 'a']];
  const name = await areaName(alternatives);
  assert.equal(name, await areaName([['a', 'b', 'a'], ['c']]));
  const key = await makeAreaKey(alternatives, keys);
  const doors = await makeDoors(name, key, alternatives, keys);
  const sealed = await sealBytes(utf8('what it holds'), await hkdf(key), salt);
  for (const door of doors) {
    const opened = await openDoor(name, door, held);
    assert.ok(opened);
    assert.equal(new TextDecoder().decode(await openBytes(sealed, opened)), 'what it holds');
    // The door of one area is none of another, and no other key opens it.
    assert.equal(await openDoor('another', door, held), undefined);
    const wrong = new Map([...held].map(([lock]) => [lock, held.get(lock === 'a' ? 'b' : 'a') as CryptoKey]));
    assert.equal(await openDoor(name, door, wrong), undefined);
  }
  assert.deepEqual(
    doors.map(({ locks }) => locks),
    [['a', 'b'], ['c']],
  );
  assert.notEqual(
    await keyId(keys.get('a') as Uint8Array<ArrayBuffer>),
    await keyId(keys.get('b') as Uint8Array<ArrayBuffer>),
  );
});
