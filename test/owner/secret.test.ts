import assert from 'node:assert/strict';
import { readFile, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { showPassword } from '../../src/owner/hand-out.js';
import { makeLink } from '../../src/owner/links.js';
import { addPassword } from '../../src/owner/passwords/passwords.js';
import { retireSecrets, rotateSecret } from '../../src/owner/secret.js';
import { guardFromFile, type FileGuard } from '../../src/stores/file-guard.js';
import { nativeHasher } from '../../src/stores/hasher.js';
import { answered, testBrowser } from '../support/guards.js';
import { policyText } from '../support/policies.js';
import { temporaryFolder, until } from '../support/sites.js';

describe('the secret that signs', () => {
  let folder: string;
  let remove: () => Promise<void>;
  let file: string;
  let guard: FileGuard;
  before(async () => {
    ({ folder, remove } = await temporaryFolder());
    file = join(folder, 'dorlin.yaml');
    const locks = { members: { covers: ['/members/'], passwords: { aa: 'owl' } } };
    await writeFile(file, await policyText(locks, { id: 'signed', origin: 'https://signed.example' }));
    guard = await guardFromFile(file, { hasher: nativeHasher });
  });
  after(async () => {
    await guard.close();
    await remove();
  });
  const browser = () => testBrowser((visit) => guard.answer(visit));
  const secret = () => readFile(join(folder, '.dorlin/secret'), 'utf8');

  test('is rotated while a site runs: nobody is put out, and what is signed now counts', async () => {
    const before = browser();
    await before.unlock('members', 'owl');
    const { password } = await addPassword(file, 'members', { password: { words: 4 }, label: 'Helpers' });
    const first = (await secret()).trim();
    assert.deepEqual(await rotateSecret(file), { verify: 2, retired: 0 });
    const [signs, verifies] = (await secret()).trim().split(',');
    assert.equal(verifies, first);
    assert.notEqual(signs, first);
    assert.equal((await stat(join(folder, '.dorlin/secret'))).mode & 0o777, 0o600);
    assert.equal((await before.get('/members/log')).kind, 'let-in');
    const { address } = (await makeLink(file, 'members', { label: 'Guests' })).handedOut;
    const guest = browser();
    const { pathname, search } = new URL(address);
    await until(async () => answered(await guest.get(pathname + search)).status === 303);
    assert.equal((await guest.get('/members/log')).kind, 'let-in');
    assert.equal((await showPassword(file, 'members', 'Helpers')).password, password);
  });

  test('the older ones retire, and with them what they signed, at once', async () => {
    const old = browser();
    await old.unlock('members', 'owl');
    assert.equal((await old.get('/members/log')).kind, 'let-in');
    await rotateSecret(file);
    const fresh = browser();
    await until(async () => {
      await fresh.unlock('members', 'owl');
      return (await fresh.get('/members/log')).kind === 'let-in';
    });
    assert.deepEqual(await retireSecrets(file), { verify: 1, retired: 2 });
    await until(async () => (await old.get('/members/log')).kind === 'answer');
    await until(async () => {
      await fresh.unlock('members', 'owl');
      return (await fresh.get('/members/log')).kind === 'let-in';
    });
    assert.ok((await showPassword(file, 'members', 'Helpers')).password !== '', 'sealed anew');
    assert.deepEqual(await retireSecrets(file), { verify: 1, retired: 0 }, 'there is only the one');
  });

  test('a broken or missing file leaves the last good keys in force', async () => {
    const inside = browser();
    await inside.unlock('members', 'owl');
    const path = join(folder, '.dorlin/secret');
    const good = await secret();
    await writeFile(path, 'short');
    await new Promise((resolve) => setTimeout(resolve, 400));
    assert.equal((await inside.get('/members/log')).kind, 'let-in');
    await writeFile(path, good);
    assert.equal((await inside.get('/members/log')).kind, 'let-in');
  });

  test('what the environment says is not ours to change', async () => {
    process.env['DORLIN_SECRET'] = 'a secret of the environment, long enough';
    try {
      await assert.rejects(rotateSecret(file), { code: 'secret-given' });
    } finally {
      delete process.env['DORLIN_SECRET'];
    }
    process.env['DORLIN_SECRET_FILE'] = join(folder, 'nowhere');
    try {
      await assert.rejects(retireSecrets(file), { code: 'secret-missing' });
      await assert.rejects(guardFromFile(file), { code: 'secret-missing' });
    } finally {
      delete process.env['DORLIN_SECRET_FILE'];
    }
  });
});
