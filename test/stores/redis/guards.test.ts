import assert from 'node:assert/strict';
import { after, before, describe, test } from 'node:test';
import { once } from 'node:events';
import type { Policy } from '../../../src/core/policy/types.js';
import { guardFromRedis, redisStores, type RedisGuard } from '../../../src/redis.js';
import type { GuardEvent } from '../../../src/guard/events.js';
import { readEntry } from '../../../src/core/journal/entry.js';
import { answered, testBrowser } from '../../support/guards.js';
import { policyText, type TestLock } from '../../support/policies.js';
import { nativeHasher } from '../../../src/stores/hasher.js';
import { lacksProgram } from '../../support/programs.js';
import { startRedis, type RunningRedis } from '../../support/redis.js';
import { temporaryFolder, until } from '../../support/sites.js';

const link = { id: 'li', label: 'Guest', uses: 3, until: '2099-01-01' };
const locks: Record<string, TestLock> = {
  members: { covers: ['/members/'], passwords: { aa: 'owl' }, links: [link] },
};
const guessing = { perVisitor: '10 per 1 hour', perLock: '100 per 1 hour' };

describe('guards that share a Redis', { skip: lacksProgram('redis-server') }, () => {
  let redis: RunningRedis;
  let remove: () => Promise<void>;
  const open: RedisGuard[] = [];
  before(async () => {
    const made = await temporaryFolder();
    remove = made.remove;
    redis = await startRedis(made.folder);
  });
  after(async () => {
    for (const guard of open) await guard.close();
    await redis.close();
    await remove();
  });
  const textOf = (id: string, more: Readonly<Record<string, unknown>> = {}, of = locks) =>
    policyText(of, { id }, { guessing, ...more });
  /** A client that is connected. */
  const connected = async () => {
    const client = redis.client();
    if (client.status !== 'ready') await once(client, 'ready');
    return client;
  };
  const put = async (id: string, text: string, since = 0) =>
    redisStores(await connected()).sites.put({ id, text, since });
  /** Any number of guards of a site, as on as many machines; and what they tell. */
  const guards = async (id: string, count = 2) => {
    const events: GuardEvent[] = [];
    const policies: (Policy | undefined)[] = [];
    const many = await Promise.all(
      Array.from({ length: count }, async () =>
        guardFromRedis(await connected(), id, {
          onEvent: (event) => events.push(event),
          onChange: (_, after) => policies.push(after),
          onBroken: (problems) => events.push({ type: 'failed', message: problems, address: '' }),
          refusalDelay: () => Promise.resolve(),
          // Without its queue, which is each process’s own.
          hasher: nativeHasher,
        }),
      ),
    );
    open.push(...many);
    return { many, events, policies };
  };
  const browserOf = (guard: RedisGuard, address = '192.0.2.7') =>
    testBrowser((visit) => guard.answer({ ...visit, address }));

  test('of a thousand guesses at once across them, no more are tried than the budget has', async () => {
    await put('guessed', await textOf('guessed'));
    const { many } = await guards('guessed', 3);
    const statuses = await Promise.all(
      Array.from({ length: 1000 }, async (_, at) => {
        const guard = many[at % many.length] as RedisGuard;
        return answered(await browserOf(guard, `192.0.2.${at % 250}`).unlock('members', `wrong ${at}`)).status;
      }),
    );
    const counts = { 403: 0, 429: 0 } as Record<number, number>;
    for (const status of statuses) counts[status] = (counts[status] ?? 0) + 1;
    assert.deepEqual(counts, { 403: 100, 429: 900 });
  });

  test('a pass that one gives counts at all, and so do the tries of one visitor', async () => {
    await put('shared', await textOf('shared'));
    const { many } = await guards('shared');
    let turn = 0;
    const browser = testBrowser((visit) => (many[turn++ % 2] as RedisGuard).answer(visit));
    for (let tries = 0; tries < 9; tries++)
      assert.equal(answered(await browser.unlock('members', 'cuckoo')).status, 403);
    assert.equal(answered(await browser.unlock('members', 'owl')).status, 303);
    for (let visits = 0; visits < 4; visits++) assert.equal((await browser.get('/members/log')).kind, 'let-in');
  });

  test('a change counts at all of them within a second, and a broken one nowhere', async () => {
    const before = await textOf('changing');
    await put('changing', before);
    const { many, events, policies } = await guards('changing');
    const visit = () => Promise.all(many.map((guard) => browserOf(guard).get('/press/embargoed')));
    assert.deepEqual(
      (await visit()).map(({ kind }) => kind),
      ['open', 'open'],
    );
    const start = performance.now();
    await put(
      'changing',
      await textOf('changing', {}, { ...locks, press: { covers: ['/press/'], passwords: { pp: 'elk' } } }),
      1,
    );
    await until(async () => (await visit()).every(({ kind }) => kind === 'answer'));
    assert.ok(performance.now() - start < 1000, 'told, not looked for');
    assert.equal(policies.length, 2);
    await assert.rejects(put('changing', before, 1), { code: 'source-changed' });
    await assert.rejects(put('changing', before.replace('changing', 'another'), 2), { code: 'source-refused' });
    await assert.rejects(put('changing', `${before}\nlocks: 3`, 2), { code: 'policy-invalid' });
    // As somebody would who writes there by hand.
    const client = await connected();
    await client.hset('dorlin:site:changing', 'text', 'dorlin: 1\nlocks: nonsense');
    await client.zadd('dorlin:changed', await client.incr('dorlin:epoch'), 'changing');
    await until(() => events.filter(({ type }) => type === 'failed').length === 2);
    assert.deepEqual(
      (await visit()).map(({ kind }) => kind),
      ['answer', 'answer'],
      'the last good one stays',
    );
  });

  test('a lost message costs a second, and a site that is taken out is nobody’s', async () => {
    await put('quiet', await textOf('quiet'));
    const { many } = await guards('quiet');
    const client = await connected();
    await client.config('SET', 'client-output-buffer-limit', 'pubsub 1 1 1');
    await client.call('CLIENT', 'KILL', 'TYPE', 'pubsub');
    const text = await textOf('quiet', {}, { all: { covers: ['/'], passwords: { aa: 'owl' } } });
    await put('quiet', text, 1);
    await until(async () => (await browserOf(many[0] as RedisGuard).get('/about')).kind === 'answer');
    await client.config('SET', 'client-output-buffer-limit', 'pubsub 32mb 8mb 60');
    await redisStores(client).sites.remove('quiet', 2);
    await until(async () => answered(await browserOf(many[0] as RedisGuard).get('/about')).status === 421);
    await assert.rejects(guards('quiet', 1), { code: 'source-unknown' });
  });

  test('what happens is written by all into one journal, and who asks into one list', async () => {
    await put('written', await textOf('written', { journal: { keep: '30 days' } }));
    const { many } = await guards('written', 3);
    await Promise.all(
      Array.from({ length: 60 }, (_, at) =>
        browserOf(many[at % 3] as RedisGuard, `192.0.2.${at}`).unlock('members', 'owl'),
      ),
    );
    for (const guard of many) await guard.close();
    const lines = await (await connected()).xrange('dorlin:journal:written', '-', '+');
    const entries = lines.map(([, fields]) => readEntry(fields[1] ?? ''));
    assert.equal(entries.filter((entry) => entry?.type === 'unlocked').length, 60);
  });

  test('a Redis that takes nothing, hangs, or speaks otherwise lets nobody in, and who is in stays', async () => {
    await put('unfit', await textOf('unfit'));
    const { many } = await guards('unfit', 1);
    const guard = many[0] as RedisGuard;
    const inside = browserOf(guard);
    await inside.unlock('members', 'owl');
    const client = await connected();
    const unlock = async () => answered(await browserOf(guard).unlock('members', 'owl')).status;
    const staysIn = async () => {
      assert.equal((await inside.get('/members/log')).kind, 'let-in');
      assert.equal((await browserOf(guard).get('/about')).kind, 'open');
      assert.equal(answered(await browserOf(guard).get('/members/log')).status, 403);
    };
    await client.config('SET', 'maxmemory', '1');
    assert.equal(await unlock(), 503);
    await staysIn();
    await client.config('SET', 'maxmemory', '0');
    assert.equal(await unlock(), 303);

    await client.call('CLIENT', 'PAUSE', '2500', 'ALL');
    const start = performance.now();
    const paused = unlock();
    await staysIn();
    assert.equal(await paused, 503);
    assert.ok(performance.now() - start < 2500, 'nobody waits for as long as it hangs');
    await until(async () => (await unlock()) === 303);

    // Somebody else's keys where ours should be.
    for (const key of await client.keys('dorlin:count:*')) await client.set(key, 'nonsense');
    assert.notEqual(await unlock(), 303);
    for (const key of await client.keys('dorlin:count:*')) {
      await client.del(key);
      await client.hset(key, 'a', 'b');
    }
    assert.equal(await unlock(), 503);
    await staysIn();
    for (const key of await client.keys('dorlin:count:*')) await client.del(key);
    assert.equal(await unlock(), 303);
  });
});
