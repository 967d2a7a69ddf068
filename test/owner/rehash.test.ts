import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { test } from 'node:test';
import type { LockPassword } from '../../src/core/policy/openers.js';
import { matchPassword } from '../../src/core/passwords/shared-salt.js';
import { addPassword } from '../../src/owner/passwords/passwords.js';
import { rehashPasswords } from '../../src/owner/passwords/rehash.js';
import { changeSite } from '../../src/owner/site.js';
import { nativeHasher } from '../../src/stores/hasher.js';
import { loadPolicy } from '../../src/stores/policy-file.js';
import { policyText } from '../support/policies.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

test('passwords hashed anew are the same ones, under one salt, and end every pass; comments stay', async () => {
  const { folder, remove } = await temporaryFolder();
  const file = join(folder, 'dorlin.yaml');
  const text = await policyText({ members: { covers: ['/members/'] } });
  await writeFiles(folder, { 'dorlin.yaml': `# kept\n${text}` });
  for (const label of ['One', 'Two']) {
    await addPassword(file, 'members', { password: { typed: `${label} heron over quiet water` }, label });
  }
  const of = async () => (await loadPolicy(file)).locks.get('members');
  const before = await of();
  await changeSite(file, ['hash=pbkdf2-sha512']);
  const { algorithm, labels } = await rehashPasswords(file, 'members');
  assert.deepEqual([algorithm, labels], ['pbkdf2-sha512', ['One', 'Two']]);
  const after = await of();
  assert.ok(before && after);
  for (const [at, label] of ['One', 'Two'].entries()) {
    const found: LockPassword | undefined = await matchPassword(
      `${label} heron over quiet water`,
      after.passwords,
      nativeHasher,
    );
    assert.equal(found?.label, label);
    assert.equal(found.parsedHash.cost.algorithm, 'pbkdf2-sha512');
    const [was, is] = [before.passwords[at], after.passwords[at]];
    assert.ok(was && is);
    assert.notEqual(was.mark, is.mark);
  }
  // A new one is hashed as the others are, whatever the site says by then.
  await changeSite(file, ['hash=argon2id']);
  await addPassword(file, 'members', { password: { typed: 'Three heron over quiet water' }, label: 'Three' });
  assert.equal((await of())?.passwords[2]?.parsedHash.cost.algorithm, 'pbkdf2-sha512');
  assert.match(await readFile(file, 'utf8'), /^# kept/);
  await remove();
});

test('nothing is hashed anew where one of them cannot be looked up', async () => {
  const { folder, remove } = await temporaryFolder();
  const file = join(folder, 'dorlin.yaml');
  await writeFiles(folder, {
    'dorlin.yaml': await policyText({ members: { covers: ['/members/'], passwords: { aa: 'one' } } }),
  });
  const before = await readFile(file, 'utf8');
  await assert.rejects(rehashPasswords(file, 'members'), { code: 'password-not-recallable' });
  assert.equal(await readFile(file, 'utf8'), before);
  await remove();
});
