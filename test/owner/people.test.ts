import assert from 'node:assert/strict';
import { join } from 'node:path';
import { test, type TestContext } from 'node:test';
import {
  acceptInvite,
  foldedName,
  invite,
  listPeople,
  removePerson,
  revokeInvite,
} from '../../src/owner/people/people.js';
import { policyText } from '../support/policies.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

const password = 'heron lantern moor drift';

async function started(t: TestContext) {
  const { folder, remove } = await temporaryFolder();
  t.after(remove);
  await writeFiles(folder, { 'dorlin.yaml': await policyText({ members: { covers: ['/members/'] } }) });
  const file = join(folder, 'dorlin.yaml');
  const accept = (token: string, name: string) => acceptInvite(file, token, { name, password });
  return { file, accept };
}
const ended = { code: 'invite-ended' };

test('before somebody has set the console up, only the last invitation of an owner works, and none after', async (t) => {
  const { file, accept } = await started(t);
  const [first, second, third] = [await invite(file), await invite(file), await invite(file)];
  const keeper = await invite(file, { role: 'keeper', locks: ['members'] });
  assert.deepEqual(
    (await listPeople(file)).invites.map(({ id }) => id),
    [third.id, keeper.id],
  );
  await assert.rejects(accept(first.token, 'Mallory'), ended);
  await accept(third.token, 'Imke');
  for (const { token } of [first, second, third]) await assert.rejects(accept(token, 'Mallory'), ended);
  assert.equal((await accept(keeper.token, 'Kit')).role, 'keeper');
  assert.deepEqual((await listPeople(file)).invites, []);
});

test('invitations that somebody made end when that person is removed; those of others stay', async (t) => {
  const { file, accept } = await started(t);
  const imke = await accept((await invite(file)).token, 'Imke');
  const kit = await accept((await invite(file, {}, imke.id)).token, 'Kit');
  const [own, other, byCommand] = [await invite(file, {}, kit.id), await invite(file, {}, imke.id), await invite(file)];
  await removePerson(file, 'Kit');
  await assert.rejects(accept(own.token, 'Kit again'), ended);
  assert.equal((await accept(other.token, 'Ada')).name, 'Ada');
  assert.equal((await accept(byCommand.token, 'Bo')).name, 'Bo');
});

test('an invitation is revoked by its id, and then lets nobody in', async (t) => {
  const { file, accept } = await started(t);
  await accept((await invite(file)).token, 'Imke');
  const { id, token } = await invite(file);
  assert.deepEqual(await revokeInvite(file, id), { id });
  await assert.rejects(accept(token, 'Mallory'), ended);
  await assert.rejects(revokeInvite(file, id), { code: 'invite-unknown' });
});

test('a name is the same in every spelling that finds its person', () => {
  for (const name of ['Imke', ' imke ', 'IMKE', 'Ｉｍｋｅ', 'ⓘmke', 'Imke\u00a0'])
    assert.equal(foldedName(name), 'imke', name);
});
