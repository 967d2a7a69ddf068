import assert from 'node:assert/strict';
import { mkdir, readFile, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { deriveKeys } from '../../../src/core/passes/keys.js';
import { goBack, goLive } from '../../../src/owner/drafts.js';
import { showPassword } from '../../../src/owner/hand-out.js';
import { readEvents } from '../../../src/owner/journal.js';
import { changeLock } from '../../../src/owner/locks.js';
import { addPassword, retirePassword } from '../../../src/owner/passwords/passwords.js';
import { listRequests } from '../../../src/owner/requests.js';
import { retireSecrets, rotateSecret } from '../../../src/owner/secret.js';
import { changeSite } from '../../../src/owner/site.js';
import { pull, push, takeOut } from '../../../src/owner/shared.js';
import { listLinks } from '../../../src/owner/links.js';
import { guardFromRedis, redisStores, type RedisGuard } from '../../../src/redis.js';
import { recallPassword } from '../../../src/stores/recall-file.js';
import { readSecret } from '../../../src/stores/keeping.js';
import { keep } from '../../../src/stores/kept-files.js';
import { freshen, keepFresh, pushText } from '../../../src/stores/redis/working-copy.js';
import { answered, testBrowser } from '../../support/guards.js';
import { policyText } from '../../support/policies.js';
import { lacksProgram } from '../../support/programs.js';
import { startRedis, type RunningRedis } from '../../support/redis.js';
import { temporaryFolder, until } from '../../support/sites.js';

describe('copies of a site in the shared store', { skip: lacksProgram('redis-server') }, () => {
  let redis: RunningRedis;
  let folder: string;
  let remove: () => Promise<void>;
  const ends: (() => Promise<void>)[] = [];
  before(async () => {
    ({ folder, remove } = await temporaryFolder());
    redis = await startRedis(folder);
    process.env['DORLIN_REDIS'] = redis.url;
  });
  after(async () => {
    delete process.env['DORLIN_REDIS'];
    for (const end of ends) await end();
    await redis.close();
    await remove();
  });
  const locks = {
    members: {
      covers: ['/members/'],
      passwords: { aa: 'owl' },
      links: [{ id: 'li', label: 'Guests', uses: 9, until: '2099-01-01' }],
    },
  };
  /** A policy of its own, pushed; and another copy of it. */
  const twoCopies = async (id: string, rest: Readonly<Record<string, unknown>> = {}) => {
    const files = [join(folder, id, 'one/dorlin.yaml'), join(folder, id, 'other/dorlin.yaml')] as const;
    for (const file of files) await mkdir(join(file, '..'), { recursive: true });
    await writeFile(files[0], await policyText(locks, { id, origin: `https://${id}.example` }, rest));
    await push(files[0]);
    await pull(files[1], undefined, id);
    return files;
  };
  const guardOf = async (id: string): Promise<RedisGuard> => {
    const client = redis.client();
    const guard = await guardFromRedis(client, id, { sendLetter: () => Promise.resolve() });
    ends.push(guard.close);
    return guard;
  };
  const text = (file: string) => readFile(file, 'utf8');

  test('what one changes counts at once, and the other has it when it begins', async () => {
    const [one, other] = await twoCopies('both');
    const guard = await guardOf('both');
    await changeLock(one, 'press', { places: ['/press/'], dynamic: true });
    const { password, id } = await addPassword(one, 'press', { password: { words: 4 }, label: 'Herald' });
    const browser = testBrowser((visit) => guard.answer(visit));
    await until(async () => (await browser.get('/press/')).kind === 'answer');
    await until(async () => answered(await browser.unlock('press', password)).status === 303);
    await freshen(other);
    assert.equal(await text(other), await text(one));
    assert.equal((await showPassword(other, 'press', 'Herald')).password, password, 'looked up there as well');
    await retirePassword(other, 'press', 'Herald');
    await until(async () => (await browser.get('/press/')).kind === 'answer');
    await freshen(one);
    const keys = await deriveKeys((await readSecret(one)) ?? '');
    await assert.rejects(recallPassword(one, 'press', id, keys), { code: 'password-not-recallable' });
    await goBack(other);
    await freshen(one);
    assert.equal(await text(one), await text(other));
  });

  test('who is second changes nothing, here or there, until the first is known', async () => {
    const [one, other] = await twoCopies('second');
    await changeLock(one, 'members', { settings: { remember: '3 days' } });
    const untouched = await text(other);
    await assert.rejects(changeLock(other, 'members', { settings: { remember: '9 days' } }), {
      code: 'source-changed',
    });
    assert.equal(await text(other), untouched);
    await freshen(other);
    await changeLock(other, 'members', { settings: { remember: '9 days' } });
    await freshen(one);
    assert.match(await text(one), /9 days/);
  });

  test('what was changed here alone becomes a draft when the store changed too, and goes live there', async () => {
    const [one, other] = await twoCopies('apart');
    delete process.env['DORLIN_REDIS'];
    await changeLock(other, 'team', { places: ['/team/'], dynamic: true });
    process.env['DORLIN_REDIS'] = redis.url;
    const here = await text(other);
    await freshen(other);
    assert.equal(await text(other), here, 'nobody has pushed since');
    await changeLock(one, 'members', { settings: { remember: '3 days' } });
    await assert.rejects(push(other), { code: 'source-changed' });
    const { draft, isCarried } = await pull(other);
    assert.equal(isCarried, true);
    assert.equal(await text(other), await text(one));
    assert.match(await text(draft ?? ''), /team[^]*3 days|3 days[^]*team/);
    await goLive(other);
    await freshen(one);
    assert.match(await text(one), /\/team\//);
    assert.equal(await text(one), await text(other));
    delete process.env['DORLIN_REDIS'];
    await changeLock(other, 'members', { settings: { remember: '5 days' } });
    process.env['DORLIN_REDIS'] = redis.url;
    await changeLock(one, 'members', { settings: { remember: '4 days' } });
    const both = await pull(other);
    assert.equal(both.isCarried, false, 'the same line by both');
    await assert.rejects(
      pull(other).then(() => goLive(other)),
      { code: 'policy-changed' },
    );
  });

  test('journal, requests, uses of links and pictures come along', async () => {
    const [one, other] = await twoCopies('along', { journal: { keep: '30 days' } });
    await keep(one, 'dome', 'png', new Uint8Array([1, 2, 3]));
    await push(one);
    const guard = await guardOf('along');
    const browser = testBrowser((visit) => guard.answer(visit));
    await browser.unlock('members', 'cuckoo');
    await browser.unlock('members', 'owl');
    const client = redis.client();
    await until(async () => client.status === 'ready' && (await client.xlen('dorlin:journal:along')) === 2);
    await redisStores(client)
      .linkUses({ siteOf: () => 'along' } as never)
      .take('members/li', 9, {} as never);
    const entry = {
      at: new Date().toISOString(),
      lock: 'members',
      address: 'imke@kestrelmoor.example',
      language: 'en',
    };
    const requests = redisStores(client).requests({ siteOf: () => 'along' } as never);
    await requests.keep({ ...entry, consent: 'yes', gives: 'nothing', sent: false }, {} as never);
    for (let turn = 0; turn < 2; turn++) await freshen(other);
    assert.equal((await readEvents(other)).entries.length, 2, 'each once');
    assert.equal((await listRequests(other)).requests.length, 1);
    assert.equal((await listLinks(other, 'members')).links[0]?.used, 1);
    await pull(other);
    const [name = ''] = await redisStores(client).sites.pictures('along');
    assert.equal((await stat(join(other, '../.dorlin/pictures', name))).size, 3);
    const picture = await guard.answer({
      method: 'GET',
      target: `/_dorlin/assets/kept/${name}`,
      headers: {},
      encrypted: false,
      address: '192.0.2.1',
    });
    assert.equal(answered(picture).status, 200);
  });

  test('a new secret puts nobody out; a retired one does, everywhere', async () => {
    const [one, other] = await twoCopies('signed');
    const guards = [await guardOf('signed'), await guardOf('signed')];
    const browserAt = () => {
      let turn = 0;
      return testBrowser((visit) => (guards[turn++ % 2] as RedisGuard).answer(visit));
    };
    const before = browserAt();
    await before.unlock('members', 'owl');
    let isOver = false;
    const isIn = async () => {
      while (!isOver) {
        assert.equal((await before.get('/members/log')).kind, 'let-in');
        const fresh = browserAt();
        assert.equal(answered(await fresh.unlock('members', 'owl', '/', {})).status, 303);
        assert.equal((await fresh.get('/members/log')).kind, 'let-in', 'a new pass counts at the other at once');
        await new Promise((resolve) => setTimeout(resolve, 20));
      }
    };
    const watching = isIn();
    const rotated = await rotateSecret(one);
    assert.deepEqual(rotated, { verify: 2, retired: 0, shared: 'signed' });
    await new Promise((resolve) => setTimeout(resolve, 300));
    isOver = true;
    await watching;
    const after = browserAt();
    await after.unlock('members', 'owl');
    assert.deepEqual(await retireSecrets(one), { verify: 1, retired: 1, shared: 'signed' });
    await until(
      async () =>
        (await before.get('/members/log')).kind === 'answer' && (await before.get('/members/log')).kind === 'answer',
    );
    for (let turn = 0; turn < 2; turn++) assert.equal((await after.get('/members/log')).kind, 'let-in');
    await freshen(other);
    assert.equal((await readSecret(other))?.split(',')[0], await readSecret(one));
  });

  test('who looks on sees what others do, and hosts are one site’s', async () => {
    const [one, other] = await twoCopies('looked');
    const end = await keepFresh(other, (problem) => assert.fail(problem));
    await changeLock(one, 'members', { settings: { remember: '3 days' } });
    await until(async () => (await text(other)) === (await text(one)));
    await end();
    const [rival] = await twoCopies('rival');
    const before = await text(rival);
    await assert.rejects(changeSite(rival, ['id=looked']), { code: 'source-refused' });
    await assert.rejects(changeSite(rival, ['id=a-new-one', 'origin=https://free.example']), {
      code: 'source-refused',
    });
    assert.equal(await text(rival), before);
    await changeSite(rival, ['origin=https://free.example']);
    const client = redis.client();
    await until(() => client.status === 'ready');
    assert.deepEqual((await redisStores(client).sites.read('rival'))?.hosts, ['rival.example'], 'its own stay');
    await assert.rejects(push(rival, undefined, ['looked.example']), { code: 'source-refused' });
    await takeOut(other);
    assert.deepEqual((await push(rival, undefined, ['looked.example', 'rival.example'])).hosts, [
      'looked.example',
      'rival.example',
    ]);
    await assert.rejects(push(one), { code: 'source-refused' });
    await assert.rejects(pull(one), { code: 'source-unknown' });
  });

  test('a store that was emptied opens nothing and ends nothing, and is filled again from any copy', async () => {
    const [one, other] = await twoCopies('emptied');
    const guard = await guardOf('emptied');
    const inside = testBrowser((visit) => guard.answer(visit));
    await inside.unlock('members', 'owl');
    await changeLock(one, 'press', { places: ['/press/'], dynamic: true });
    await until(async () => (await inside.get('/press/')).kind === 'answer');
    await freshen(other);
    const client = redis.client();
    await until(() => client.status === 'ready');
    await client.flushall();
    await new Promise((resolve) => setTimeout(resolve, 1500));
    assert.equal((await inside.get('/members/log')).kind, 'let-in');
    assert.equal((await inside.get('/press/')).kind, 'answer');
    await assert.rejects(freshen(one), { code: 'source-unknown' });
    await push(other);
    await changeLock(other, 'press', { settings: { enabled: false } });
    await until(async () => (await inside.get('/press/')).kind === 'open');
    assert.equal((await inside.get('/members/log')).kind, 'let-in', 'signed by the same secret');
    await freshen(one);
    assert.equal(await text(one), await text(other));
  });

  test('a copy of one site becomes none of another, and nothing is written outside of its folder', async () => {
    const [one] = await twoCopies('mine');
    await twoCopies('yours');
    const before = await text(one);
    await assert.rejects(pull(one, undefined, 'yours'), { code: 'source-refused' });
    assert.equal(await text(one), before);
    for (const rest of [{ journal: { file: '../../out.jsonl' } }, { mail: { list: '/tmp/dorlin-out.csv' } }]) {
      await writeFile(one, await policyText(locks, { id: 'mine' }, rest));
      await assert.rejects(push(one), { code: 'source-refused' });
    }
    const client = redis.client();
    await until(() => client.status === 'ready');
    await client.hset(
      'dorlin:site:mine',
      'text',
      await policyText(locks, { id: 'mine' }, { journal: { file: '../x' } }),
    );
    await writeFile(one, before);
    await assert.rejects(pull(one), { code: 'source-refused' });
    assert.equal(await text(one), before);
  });

  test('who is killed between there and here finds the newer one when it comes again', async () => {
    const [one, other] = await twoCopies('killed');
    const newer = (await text(one)).replace('/members/', '/members-only/');
    await pushText(one, newer);
    await freshen(one);
    assert.equal(await text(one), newer);
    await changeLock(one, 'members', { settings: { remember: '3 days' } });
    await freshen(other);
    assert.match(await text(other), /members-only/);
    const { hosts } = await push(one, undefined, ['Killed.EXAMPLE:8080', 'grüne.example', 'killed.example.']);
    assert.deepEqual(hosts, ['killed.example', 'xn--grne-1ra.example']);
    await assert.rejects(push(one, undefined, ['a b']), { code: 'source-refused' });
  });
});
