import assert from 'node:assert/strict';
import { before, describe, test } from 'node:test';
import { entryToken } from '../../src/core/passes/entry-link.js';
import { deriveKeys } from '../../src/core/passes/keys.js';
import { maxPasses } from '../../src/core/passes/pass.js';
import type { Lock, Policy } from '../../src/core/policy/types.js';
import { DorlinError } from '../../src/core/errors.js';
import { FormTooLong } from '../../src/guard/visit/form.js';
import type { VerdictHeaders } from '../../src/guard/visit/visit.js';
import { bcryptHash } from '../../src/stores/htpasswd-hashes.js';
import { answered, testGuard, testSecret } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const form = { 'content-type': 'application/x-www-form-urlencoded' };
const basic = (user: string, password: string) => ({
  authorization: `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`,
});
const cookieLines = ({ 'set-cookie': lines }: VerdictHeaders) => [lines ?? []].flat();
/** Noon, UTC. */
const noon = (day: string) => Date.parse(`${day}T12:00Z`) / 1000;

describe('a lock that is off or out of time gives no pass', () => {
  let policy: Policy;
  before(async () => {
    policy = await testPolicy({
      off: { covers: ['/off/'], enabled: false, passwords: { aa: 'one' } },
      timed: {
        covers: ['/timed/'],
        from: '2026-06-01',
        until: '2026-07-01',
        passwords: { aa: 'one' },
        links: [{ id: 'herald', label: 'Herald desk', until: '2030-01-01' }],
      },
      late: {
        covers: ['/late/'],
        links: [{ id: 'later', label: 'Later', from: '2026-06-10', until: '2026-06-20' }],
      },
    });
  });
  const unlocked = async (lock: string, day: string, how: 'form' | 'json') => {
    const world = await testGuard(policy);
    world.now = noon(day);
    const accept = how === 'json' ? { accept: 'application/json' } : {};
    return answered(await world.browser().post('/_dorlin/unlock', { lock, password: 'one', to: `/${lock}/` }, accept));
  };
  for (const how of ['form', 'json'] as const) {
    test(`by its password, as ${how}`, async () => {
      const passes = async (lock: string, day: string) =>
        cookieLines((await unlocked(lock, day, how)).headers).length > 0;
      assert.equal(await passes('off', '2026-06-15'), false);
      assert.equal(await passes('timed', '2026-05-31'), false);
      assert.equal(await passes('timed', '2026-06-01'), true);
      assert.equal(await passes('timed', '2026-06-30'), true);
      assert.equal(await passes('timed', '2026-07-01'), false);
    });
  }
  test('by its link, which itself counts in its time alone; the others are told', async () => {
    const keys = await deriveKeys(testSecret);
    const enter = async (name: string, day: string) => {
      const world = await testGuard(policy);
      world.now = noon(day);
      const lock = policy.locks.get(name);
      const link = lock?.links[0];
      assert.equal(link === undefined, false);
      const token = await entryToken(lock as Lock, link as Lock['links'][number], policy, keys);
      const answer = answered(await world.browser().get(`/_dorlin/enter?link=${token}`));
      const told = world.events.map(({ type }) => type).join();
      return [answer.status, cookieLines(answer.headers).length > 0, told];
    };
    assert.deepEqual(await enter('timed', '2026-05-31'), [303, false, '']);
    assert.deepEqual(await enter('timed', '2026-06-15'), [303, true, 'entered']);
    assert.deepEqual(await enter('late', '2026-06-09'), [403, false, 'dead-link']);
    assert.deepEqual(await enter('late', '2026-06-15'), [303, true, 'entered']);
    assert.deepEqual(await enter('late', '2026-06-20'), [403, false, 'dead-link']);
  });
});

test('a counted link lets in whoever is in by something else, and counts that', async () => {
  const links = [
    { id: 'thrice', label: 'Three', until: '2030-01-01', uses: 3 },
    { id: 'other', label: 'Other', until: '2030-01-01' },
  ];
  const policy = await testPolicy({
    press: { covers: ['/press/'], passwords: { pp: 'ink' }, links },
    quiz: { covers: ['/quiz/'], passwords: { qq: 'quill' } },
  });
  const lock = policy.locks.get('press') as Lock;
  const keys = await deriveKeys(testSecret);
  const linkTo = async (at: number) => entryToken(lock, lock.links[at] as Lock['links'][number], policy, keys);
  const world = await testGuard(policy);
  for (const way of ['the password', 'another link', 'another lock']) {
    const guest = world.browser();
    if (way === 'another link') await guest.get(`/_dorlin/enter?link=${await linkTo(1)}`);
    else if (way === 'the password') await guest.unlock('press', 'ink');
    else await guest.unlock('quiz', 'quill');
    const entered = await guest.post('/_dorlin/enter', { link: await linkTo(0) });
    assert.equal(cookieLines(answered(entered).headers).length > 0, true, way);
    assert.equal((await guest.get('/press/')).kind, 'let-in');
  }
  const fourth = await world.browser().post('/_dorlin/enter', { link: await linkTo(0) });
  assert.equal(answered(fourth).status, 403);
});

test('a link to a lock that leaves staying to visitors lets in for this visit', async () => {
  const policy = await testPolicy({
    quiz: {
      covers: ['/quiz/'],
      remember: { choice: '90 days' },
      passwords: { qq: 'quill' },
      links: [{ id: 'class', label: 'Class', until: '2030-01-01' }],
    },
  });
  const world = await testGuard(policy);
  const lock = policy.locks.get('quiz') as Lock;
  const token = await entryToken(lock, lock.links[0] as Lock['links'][number], policy, await deriveKeys(testSecret));
  const guest = world.browser();
  await guest.get(`/_dorlin/enter?link=${token}`);
  assert.equal((await guest.get('/quiz/a')).kind, 'let-in');
  assert.equal(guest.cookies.get('dorlin')?.lasts, false);
  guest.reopen();
  assert.equal((await guest.get('/quiz/a')).kind, 'answer');
});

describe('credentials', () => {
  test('open no lock whose own Basic is off, where another of the same place takes them', async () => {
    const policy = await testPolicy({
      feed: { covers: ['/x/'], passwords: { reader: 'owl' }, basic: true },
      plain: { covers: ['/x/'], passwords: { other: 'lark' } },
      inner: { covers: ['/y/'], passwords: { reader: 'owl' }, basic: true, requires: ['plain'] },
    });
    const { browser } = await testGuard(policy);
    const kind = async (target: string, user: string, password: string) =>
      (await browser().get(target, basic(user, password))).kind;
    assert.equal(await kind('/x/a', 'reader', 'owl'), 'let-in');
    assert.equal(await kind('/x/a', 'other', 'lark'), 'answer');
    assert.equal(await kind('/y/a', 'reader', 'owl'), 'answer');
  });
  test('have a user of a letter at least, and no control characters', async () => {
    const policy = await testPolicy({
      feed: {
        covers: ['/feed/'],
        passwords: { rr: 'owl' },
        imported: { q: await bcryptHash('lark') },
        basic: true,
      },
    });
    const { browser, events } = await testGuard(policy);
    const kind = async (user: string, password: string) => (await browser().get('/feed/', basic(user, password))).kind;
    assert.equal(await kind('q', 'lark'), 'let-in');
    for (const [user, password] of [
      ['', 'owl'],
      ['r\u0000r', 'owl'],
      ['rr', 'owl\u0000'],
      ['rr\n', 'owl'],
      ['rr', 'ow\u007fl'],
    ] as const)
      assert.equal(await kind(user, password), 'answer', JSON.stringify(user));
    assert.equal(events.filter(({ type }) => type === 'wrong').length, 0, 'none was a try');
  });
  test('that were right are not taken for others with the same letters', async () => {
    const policy = await testPolicy({
      feed: { covers: ['/feed/'], passwords: { reader: 'owl' }, basic: true },
      fee: { covers: ['/fee/'], passwords: { dreader: 'owl' }, basic: true },
    });
    const { browser, events } = await testGuard(policy);
    const kind = async (target: string, user: string, password: string) =>
      (await browser().get(target, basic(user, password))).kind;
    assert.equal(await kind('/feed/', 'reader', 'owl'), 'let-in');
    for (const [user, password] of [
      ['reade', 'rowl'],
      ['readero', 'wl'],
      ['reader', 'owl '],
      ['reader","owl', ''],
    ] as const)
      assert.equal(await kind('/feed/', user, password), password === 'owl ' ? 'let-in' : 'answer');
    assert.equal(await kind('/fee/', 'reader', 'owl'), 'answer');
    assert.equal(await kind('/fee/', 'dreader', 'owl'), 'let-in');
    assert.equal(events.filter(({ type }) => type === 'wrong').length, 4);
    // Each right one once, and what was kept of it is no second try.
    assert.equal(events.filter(({ type }) => type === 'unlocked').length, 3);
  });
});

describe('a hasher that fails', () => {
  const policyOf = () =>
    testPolicy(
      { members: { covers: ['/members/'], passwords: { aa: 'one' }, basic: true } },
      {},
      { guessing: { perVisitor: '3 per hour' } },
    );
  test('because it is busy gives the try back; in any other way it has used it up', async () => {
    for (const [code, expected] of [
      ['hashing-busy', 503],
      ['broken', 500],
    ] as const) {
      const policy = await policyOf();
      const failure = code === 'broken' ? new Error(code) : new DorlinError(code, 'as asked');
      const world = await testGuard(policy, { hasher: () => Promise.reject(failure) });
      const statuses: number[] = [];
      for (let turn = 0; turn < 5; turn++)
        statuses.push(answered(await world.browser().unlock('members', 'one')).status);
      const after = code === 'broken' ? 429 : expected;
      assert.deepEqual(statuses, [expected, expected, expected, after, after]);
      const types = new Set(world.events.map(({ type }) => type));
      assert.deepEqual([...types], code === 'broken' ? ['failed', 'waiting'] : ['busy']);
    }
  });
});

for (const isLate of [false, true])
  test(`a server is told no where finding out fails, ${isLate ? 'late' : 'at once'}`, async () => {
    const policy = await testPolicy({
      members: { covers: ['/members/'], passwords: { aa: 'one' } },
    });
    const identify = () => (isLate ? Promise.resolve({}) : {});
    const world = await testGuard(policy, { identify });
    const visitor = world.browser();
    await visitor.unlock('members', 'one');
    const headers = { cookie: [...visitor.cookies].map(([name, { value }]) => `${name}=${value}`).join('; ') };
    const ask = () => world.guard.opened({ method: 'GET', target: '/', headers, encrypted: false }, 'members');
    assert.equal(await ask(), true);
    const broken = new Proxy(policy.locks.get('members') as Lock, {
      get: (lock, key) => {
        if (key === 'window') throw new Error('broken');
        return lock[key as keyof Lock];
      },
    });
    world.policy = { ...policy, locks: new Map([['members', broken]]) };
    assert.equal(await ask(), false);
    assert.equal(world.events.at(-1)?.type, 'failed');
  });

test('a mark of a visit that is none of ours is not taken up', async () => {
  const policy = await testPolicy({ members: { covers: ['/members/'], passwords: { aa: 'one' } } });
  for (const mark of ['', 'short', 'x'.repeat(21), 'x'.repeat(23), `${'x'.repeat(21)}.`]) {
    const { browser } = await testGuard(policy);
    const visitor = browser();
    visitor.cookies.set('dorlin-visit', { value: mark, lasts: false });
    await visitor.unlock('members', 'one');
    assert.match(visitor.cookies.get('dorlin-visit')?.value ?? '', /^[\w-]{22}$/);
    assert.notEqual(visitor.cookies.get('dorlin-visit')?.value, mark);
    assert.equal((await visitor.get('/members/')).kind, 'let-in');
  }
});

describe('cookies', () => {
  const lines = async (encrypted: boolean, remember = '3 years') => {
    const policy = await testPolicy(
      { members: { covers: ['/members/'], remember, passwords: { aa: 'one' }, bypass: ['staff'] } },
      {},
      { bypasses: { staff: { roles: ['editor'] } } },
    );
    const world = await testGuard(policy);
    const post = async (target: string, fields: string) =>
      answered(
        await world
          .browser()
          .send({ target, method: 'POST', encrypted, headers: form, readBody: () => Promise.resolve(fields) }),
      ).headers;
    return [
      ...cookieLines(await post('/_dorlin/unlock', 'lock=members&password=one&to=/')),
      ...cookieLines(await post('/_dorlin/view', 'do=public&to=/')),
      ...cookieLines(await post('/_dorlin/view', 'do=own&to=/')),
      ...cookieLines(await post('/_dorlin/view', 'do=away&to=/')),
      ...cookieLines(await post('/_dorlin/leave', '')),
    ];
  };
  test('are sent over https alone where they came by it, and only one is for scripts', async () => {
    const secure = await lines(true);
    const plain = await lines(false);
    assert.equal(secure.length > 8, true);
    for (const line of [...secure, ...plain]) {
      const [name = ''] = line.split('=', 1);
      assert.equal(/; Secure/i.test(line), secure.includes(line), line);
      assert.equal(/; HttpOnly/i.test(line), name !== 'dorlin-open', line);
      assert.match(line, /; Path=\/(;|$)/i);
      assert.match(line, /; SameSite=Lax/i);
      assert.doesNotMatch(line, /; Domain=/i);
    }
    const names = new Set(secure.map((line) => line.split('=', 1)[0]));
    for (const name of [
      '__Host-dorlin',
      '__Host-dorlin-visit',
      '__Host-dorlin-known',
      'dorlin-open',
      '__Host-dorlin-view',
      '__Host-dorlin-ribbon',
    ])
      assert.equal(names.has(name), true, name);
  });
  test('last no longer than browsers keep them, and as long as the longest pass', async () => {
    const age = async (remember: string) =>
      /^dorlin=.*; Max-Age=(\d+)/i.exec((await lines(false, remember))[0] ?? '')?.[1];
    assert.equal(await age('3 years'), String(400 * 86_400));
    assert.equal(await age('400 days'), String(400 * 86_400));
    assert.equal(await age('30 days'), String(30 * 86_400));
  });
});

test('scripts are told anew which locks are open, where they were told of others', async () => {
  const bypass = ['staff'];
  const policy = await testPolicy(
    { a1: { covers: ['/a/'], bypass }, b1: { covers: ['/b/'], bypass }, c1: { covers: ['/c/'] } },
    {},
    { bypasses: { staff: { roles: ['editor'] } } },
  );
  const { browser } = await testGuard(policy, { identify: () => ({ roles: ['editor'] }) });
  const told = async (cookie: string | undefined) => {
    const headers = cookie === undefined ? {} : { cookie: `dorlin-open=${cookie}` };
    const verdict = await browser().get('/a/', headers);
    return 'headers' in verdict ? cookieLines(verdict.headers).join().split(';', 1)[0] : 'none';
  };
  for (const right of ['a1.b1', 'b1.a1', '.a1..b1.']) assert.equal(await told(right), '', right);
  for (const wrong of [undefined, '', 'a1', 'a1.c1', 'c1.b1', 'a1.b1.c1', 'c1.d1', 'a1.a1'])
    assert.equal(await told(wrong), 'dorlin-open=a1.b1', wrong);
});

test(`of more than ${maxPasses} passes the newest are kept`, async () => {
  const count = maxPasses + 2;
  const names = Array.from({ length: count }, (_, at) => `l${String(at).padStart(2, '0')}`);
  const locks = names.map((name) => [name, { covers: [`/${name}/`], passwords: { aa: 'one' } }]);
  const { browser } = await testGuard(await testPolicy(Object.fromEntries(locks) as Parameters<typeof testPolicy>[0]));
  const visitor = browser();
  for (const name of names) await visitor.unlock(name, 'one');
  const isIn = async (name: string) => (await visitor.get(`/${name}/`)).kind === 'let-in';
  assert.deepEqual(
    await Promise.all(names.map(isIn)),
    names.map((_, at) => at >= 2),
  );
  // One that is opened anew is the newest.
  await visitor.unlock('l02', 'one');
  await visitor.unlock('l00', 'one');
  assert.deepEqual([await isIn('l02'), await isIn('l00'), await isIn('l03')], [true, true, false]);
});

describe('forms', () => {
  const unlock = async (body: string, headers: Record<string, string>) => {
    const policy = await testPolicy({ members: { covers: ['/members/'], passwords: { aa: 'one' } } });
    const { browser } = await testGuard(policy);
    const visitor = browser();
    const readBody = () => Promise.resolve(body);
    await visitor.send({ target: '/_dorlin/unlock', method: 'POST', headers, readBody });
    return (await visitor.get('/members/')).kind === 'let-in';
  };
  const json = { 'content-type': 'application/json; charset=utf-8' };
  const right = { lock: 'members', password: 'one', to: '/' };
  test('are read as JSON, or as browsers write them, and not in any other way', async () => {
    assert.equal(await unlock(JSON.stringify(right), json), true);
    assert.equal(await unlock(JSON.stringify({ ...right, stay: true, more: [1] }), json), true);
    assert.equal(await unlock(String(new URLSearchParams(right)), form), true);
    assert.equal(await unlock(JSON.stringify({ ...right, password: ['one'] }), json), false);
    assert.equal(
      await unlock(
        JSON.stringify([
          ['lock', 'members'],
          ['password', 'one'],
        ]),
        json,
      ),
      false,
    );
    for (const body of ['{', 'null', '"members"', '']) assert.equal(await unlock(body, json), false, body);
    assert.equal(await unlock(JSON.stringify(right), form), false);
    assert.equal(await unlock(String(new URLSearchParams(right)), json), false);
    for (const type of ['text/plain', 'multipart/form-data', ''])
      assert.equal(await unlock(String(new URLSearchParams(right)), { 'content-type': type }), false);
  });
  test('count with the first of two fields of a name', async () => {
    assert.equal(await unlock('lock=members&password=one&password=two', form), true);
    assert.equal(await unlock('lock=members&password=two&password=one', form), false);
  });
  test('that are too long are refused, by their length as well', async () => {
    const { browser } = await testGuard(await testPolicy({ a: { covers: ['/a'], passwords: { aa: 'one' } } }));
    const statusOf = async (readBody: () => Promise<string>) =>
      answered(await browser().send({ target: '/_dorlin/unlock', method: 'POST', headers: form, readBody })).status;
    assert.equal(await statusOf(() => Promise.reject(new FormTooLong())), 413);
    assert.equal(await statusOf(() => Promise.resolve('a='.padEnd(16 * 1024 + 1, 'x'))), 413);
    assert.equal(await statusOf(() => Promise.resolve('a='.padEnd(16 * 1024, 'x'))), 303);
  });
  test('of the host that a trusted proxy tells are our own, and what anybody else tells is not', async () => {
    const policy = await testPolicy(
      { a: { covers: ['/a'], passwords: { aa: 'one' } } },
      { trustedProxies: ['198.51.100.1'] },
    );
    const { browser } = await testGuard(policy);
    const statusOf = async (address: string, headers: Record<string, string>) =>
      answered(
        await browser().send({
          target: '/_dorlin/unlock',
          method: 'POST',
          address,
          headers: { ...form, origin: 'https://a.example', ...headers },
          readBody: () => Promise.resolve('lock=a&password=one&to=/'),
        }),
      ).status;
    for (const headers of [{ 'x-forwarded-host': 'a.example' }, { forwarded: 'host=a.example' }] as Record<
      string,
      string
    >[]) {
      assert.equal(await statusOf('203.0.113.9', headers), 403);
      assert.equal(await statusOf('198.51.100.1', headers), 303);
    }
    assert.equal(await statusOf('198.51.100.1', {}), 403);
    assert.equal(await statusOf('203.0.113.9', { origin: 'https://B.example', host: 'b.Example' }), 303);
  });
});

test('an address that is refused, and a link that opens nothing, are told', async () => {
  const world = await testGuard(await testPolicy({ a: { covers: ['/a'], passwords: { aa: 'one' } } }));
  await world.browser().get('/a%zz');
  await world.browser().get('/_dorlin/enter?link=none');
  const json = { accept: 'application/json' };
  const ended = answered(await world.browser().get('/_dorlin/enter', json));
  assert.deepEqual([ended.status, JSON.parse(ended.body)], [403, { state: 'ended' }]);
  assert.deepEqual(
    world.events.map(({ type }) => type),
    ['refused', 'dead-link', 'dead-link'],
  );
});

test('what an application does not know, late or at once, a trusted proxy may; empty words are nobody', async () => {
  const bypasses = { staff: { roles: ['editor'] }, anyone: { signedIn: true } };
  const policy = await testPolicy(
    { a1: { covers: ['/a/'], bypass: ['staff'] }, b1: { covers: ['/b/'], bypass: ['anyone'] } },
    { trustedProxies: ['198.51.100.1'] },
    { bypasses, identity: { header: { from: 'trustedProxies', person: 'X-User', roles: 'X-Roles' } } },
  );
  for (const told of [undefined, Promise.resolve(undefined)]) {
    const { browser } = await testGuard(policy, { identify: () => told });
    const kind = async (target: string, address: string, headers: Record<string, string>) =>
      (await browser().send({ target, address, headers })).kind;
    const roles = { 'x-roles': ' guest, editor ' };
    assert.equal(await kind('/a/', '198.51.100.1', roles), 'let-in');
    assert.equal(await kind('/a/', '203.0.113.9', roles), 'answer');
    assert.equal(await kind('/a/', '198.51.100.1', { 'x-user': 'editor' }), 'answer');
    assert.equal(await kind('/b/', '198.51.100.1', { 'x-user': 'imke' }), 'let-in');
    assert.equal(await kind('/b/', '203.0.113.9', { 'x-user': 'imke' }), 'answer');
    for (const nobody of ['', '  ']) {
      assert.equal(await kind('/b/', '198.51.100.1', { 'x-user': nobody }), 'answer');
      assert.equal(await kind('/a/', '198.51.100.1', { 'x-roles': nobody }), 'answer');
    }
  }
});
