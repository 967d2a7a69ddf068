import assert from 'node:assert/strict';
import { readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { calls, type CallName } from '../../src/console/calls.js';
import { endSessions, invite, listPeople, removePerson } from '../../src/owner/people/people.js';
import { goodPassword, origin, testConsole, type Asking } from '../support/consoles.js';

const policy = `
dorlin: 1
site: { name: Kestrelmoor, origin: https://kestrelmoor.example, folder: dist }
locks:
  members: { covers: [/members/] }
  press: { covers: [/press/] }
bypasses:
  office: { addresses: [203.0.113.0/24] }
`;
const files = { 'members/index.html': '<title>Members</title>', 'press/index.html': '<title>Press</title>' };

type World = Awaited<ReturnType<typeof testConsole>>;
type Person = Awaited<ReturnType<World['person']>>;

/** What each call is asked with; of those about a lock, once for the keeper’s own and once for another. */
const inputs: Readonly<Record<CallName, object>> = {
  view: {},
  ways: {},
  explain: { path: '/members/' },
  parts: { path: '/members/' },
  play: {},
  walk: { address: 'https://elsewhere.example/' },
  'walk.stop': {},
  screens: {},
  'screens.design': {},
  'screen.export': { screen: 'default' },
  'screen.change': { screen: 'default', written: { look: 'harbour' } },
  'screen.remove': { screen: 'default' },
  'screen.keep': { called: 'moor.png', data: 'iVBORw0KGgo=' },
  'begin.candidates': {},
  begin: { name: 'Taken' },
  journal: {},
  patrol: { url: 'https://elsewhere.example/' },
  'patrol.stop': {},
  'patrol.standing': {},
  'patrol.mend': {},
  seal: { out: '../elsewhere' },
  'seal.stop': {},
  'seal.standing': {},
  'patrol.schedule': { url: 'https://kestrelmoor.example/', time: '03:00' },
  'journal.csv': {},
  requests: {},
  changes: {},
  'lock.change': { lock: 'members', places: ['/press/'] },
  release: { places: ['/members/'] },
  'bypass.add': { bypass: 'all', order: { roles: ['editor'], everyLock: true } },
  'bypass.remove': { bypass: 'office' },
  'site.change': { settings: ['name=Taken'] },
  site: {},
  'password.show': { lock: 'LOCK', which: 'none' },
  'password.judge': { lock: 'LOCK', password: 'something to be judged' },
  'password.propose': {},
  'password.add': { lock: 'LOCK', is: { words: 4 } },
  'password.change': { lock: 'LOCK', which: 'none', label: 'x' },
  'password.rotate': { lock: 'LOCK', which: 'none', is: { words: 4 } },
  'password.retire': { lock: 'LOCK', which: 'none' },
  'password.plan': { lock: 'LOCK', order: { every: 'month', count: 1 } },
  'password.import': { lock: 'LOCK', text: 'x:$apr1$a$b' },
  'password.export': { lock: 'LOCK' },
  'link.add': { lock: 'LOCK', order: {} },
  'link.show': { lock: 'LOCK', which: 'none' },
  'link.revoke': { lock: 'LOCK', which: 'none' },
  review: {},
  check: {},
  live: {},
  back: {},
  'draft.undo': {},
  'draft.drop': {},
  'draft.carry': {},
  people: {},
  'people.invite': { role: 'owner' },
  'people.locks': { person: 'Kit', locks: ['press'] },
  'people.revoke-invite': { id: 'none' },
  'people.remove': { person: 'Imke' },
  'people.end-sessions': {},
};

/** What a keeper may: nothing that opens, closes or redesigns. */
const forKeepers = ['view', 'ways', 'journal', 'play', 'password.propose'];
const forKeepersOfIt = [
  'password.show',
  'password.judge',
  'password.add',
  'password.change',
  'password.rotate',
  'password.retire',
  'password.plan',
  'link.add',
  'link.show',
  'link.revoke',
];

describe('who may', () => {
  let world: World;
  let imke: Person;
  let kit: Person;
  before(async () => {
    world = await testConsole(policy, files);
    imke = await world.person('Imke');
    kit = await world.person('Kit', { role: 'keeper', locks: ['members'] });
  });
  after(() => world.close());

  for (const name of Object.keys(calls) as CallName[]) {
    const about = (lock: string) => JSON.parse(JSON.stringify(inputs[name]).replace('"LOCK"', `"${lock}"`)) as object;
    test(`${name}: refused without a session, with another's token, and from elsewhere`, async () => {
      const body = { input: about('members'), version: (await imke.session()).version };
      const own = { cookie: imke.cookie, 'dorlin-token': imke.token };
      const asked: [Asking, number][] = [
        [{ body }, 401],
        [{ body, headers: { cookie: 'dorlin-console=forged', 'dorlin-token': imke.token } }, 401],
        [{ body, headers: { cookie: imke.cookie } }, 403],
        [{ body, headers: { cookie: imke.cookie, 'dorlin-token': kit.token } }, 403],
        [{ body, headers: { ...own, origin: 'https://evil.example' } }, 403],
        [{ body, headers: { ...own, origin: 'null' } }, 403],
        [{ body, headers: { ...own, origin: undefined } }, 403],
        [{ body, headers: { ...own, 'content-type': 'text/plain' } }, 403],
        [{ body, headers: { ...own, host: 'evil.example' } }, 403],
        [{ body, headers: own, address: '203.0.113.9' }, 403],
        [{ body, headers: { ...own, 'x-forwarded-proto': 'http' } }, 403],
      ];
      for (const [asking, status] of asked) {
        assert.equal((await world.ask(`/api/${name}`, asking)).status, status, JSON.stringify(asking.headers));
      }
      const got = await world.ask(`/api/${name}`, { headers: own });
      assert.equal(got.status, 404, 'by GET there is nothing');
    });
    test(`${name}: what a keeper may`, async () => {
      const [own, other] = [await kit.refused(name, about('members')), await kit.refused(name, about('press'))];
      const isRefused = (answer: string) => answer === '403 not-allowed';
      assert.equal(isRefused(own), !forKeepers.includes(name) && !forKeepersOfIt.includes(name), `own lock: ${own}`);
      assert.equal(isRefused(other), !forKeepers.includes(name), `another lock: ${other}`);
    });
  }

  test('a keeper learns nothing of other locks’ ways in, nor of the draft, and edits what counts', async () => {
    await imke.call('lock.change', { lock: 'draft-only', places: ['/members/'] });
    const ways = await kit.call('ways', {});
    assert.deepEqual(
      ways.locks.map(({ name }) => name),
      ['members'],
    );
    const { password } = await kit.call('password.add', { lock: 'members', is: { words: 4 }, label: 'By Kit' });
    const live = await readFile(world.policyFile, 'utf8');
    assert.match(live, /By Kit/);
    assert.doesNotMatch(live, /draft-only/);
    assert.match(await readFile(join(world.folder, 'dorlin.draft.yaml'), 'utf8'), /By Kit/, 'carried into the draft');
    const told = (await imke.call('changes', {})).changes;
    assert.ok(told.some(({ person, call }) => person === 'Kit' && call === 'password.add'));
    assert.ok(!JSON.stringify(told).includes(password), 'no password is noted');
    await imke.call('draft.drop', {});
  });

  test('what a part of a page is called, a keeper is told of their own locks alone', async () => {
    await writeFile(
      join(world.folder, 'dist/events.html'),
      '<title>Events</title><section id="walk"><h2>The walk</h2></section><section id="news"><h2>The comet</h2></section>',
    );
    await imke.call('lock.change', { lock: 'members', places: ['/events#walk'], now: true });
    await imke.call('lock.change', { lock: 'press', places: ['/events#news'], now: true });
    const titles = async (who: Person) =>
      (await who.call('view', {})).places.flatMap(({ sections = [] }) => sections.map(({ id, title }) => [id, title]));
    assert.deepEqual((await titles(imke)).sort(), [
      ['news', 'The comet'],
      ['walk', 'The walk'],
    ]);
    assert.deepEqual((await titles(kit)).sort(), [
      ['news', undefined],
      ['walk', 'The walk'],
    ]);
    await imke.call('release', { places: ['/events#walk', '/events#news'], now: true });
    await rm(join(world.folder, 'dist/events.html'));
  });

  test('a keeper looks as a stranger or as a guest of locks of their own, now, and reads no title behind others', async () => {
    for (const call of ['view', 'play']) {
      assert.equal(await kit.refused(call, { seenBy: { opened: ['members'] } }), 'done');
      for (const seenBy of [
        { opened: ['press'] },
        { opened: ['members', 'press'] },
        { roles: ['editor'] },
        { person: 'imke@kestrelmoor.example' },
        { from: '203.0.113.7' },
        { signedIn: true },
        { at: '2099-01-01' },
      ]) {
        assert.equal(await kit.refused(call, { seenBy }), '403 not-allowed', JSON.stringify(seenBy));
        assert.equal(await imke.refused(call, { seenBy }), 'done', JSON.stringify(seenBy));
      }
    }
    const titles = (await kit.call('view', {})).places.map(({ path, title }) => [path, title]);
    assert.deepEqual(titles, [
      ['/index.html', 'Start'],
      ['/members/index.html', 'Members'],
      ['/press/index.html', undefined],
    ]);
  });

  test('of a setting its key is noted, and never its value', async () => {
    await imke.call('site.change', {
      settings: ['mail.from=post@kestrelmoor.example', 'mail.server=smtps://mail-canary.example'],
    });
    const { changes } = await imke.call('changes', {});
    assert.match(changes[0]?.about ?? '', /mail\.server/);
    assert.ok(!JSON.stringify(changes).includes('canary'));
    await imke.call('draft.drop', {});
  });

  test('a walk leads over the policy’s own site alone, or this machine for who is at it', async () => {
    assert.equal(await imke.refused('walk', { address: 'https://elsewhere.example/' }), '400 origin-invalid');
    const behind = await testConsole(policy.replace('folder: dist', 'trustedProxies: [192.0.2.1/32]'), files);
    const ann = await behind.person('Ann');
    const headers = { 'x-forwarded-proto': 'https', 'x-forwarded-for': '203.0.113.7', cookie: `__Host-${ann.cookie}` };
    const asked = await ann.raw('walk', { address: 'http://localhost:1/' }, undefined, {
      address: '192.0.2.1',
      headers,
    });
    assert.match(await asked.text(), /origin-invalid/);
    // A proxy that does not say from where somebody comes is not where that one is.
    const unsaid = { ...headers, 'x-forwarded-for': undefined };
    const local = await testConsole(policy.replace('folder: dist', 'trustedProxies: [127.0.0.1/32]'), files);
    const ben = await local.person('Ben');
    const through = await ben.raw('walk', { address: 'http://localhost:1/' }, undefined, {
      headers: { ...unsaid, cookie: `__Host-${ben.cookie}` },
    });
    assert.match(await through.text(), /origin-invalid/);
    await local.close();
    await behind.close();
  });

  test('a call that is none, and what a call does not take', async () => {
    for (const name of ['nothing', 'constructor', '__proto__', 'toString', 'view/', 'VIEW']) {
      assert.match(await imke.refused(name, {}), /^404/, name);
    }
    assert.equal(await imke.refused('view', { more: 1 }), '400 input-invalid');
    assert.equal(await imke.refused('release', 'x'), '400 input-invalid');
    const broken = await world.ask('/api/view', {
      body: '{',
      headers: { cookie: imke.cookie, 'dorlin-token': imke.token },
    });
    assert.equal(broken.status, 400);
    const huge = await world.ask('/api/view', {
      body: `"${'x'.repeat(3_000_000)}"`,
      headers: { cookie: imke.cookie, 'dorlin-token': imke.token },
    });
    assert.equal(huge.status, 413);
  });
});

describe('sessions and invitations', () => {
  let world: World;
  before(async () => {
    world = await testConsole(policy, files);
  });
  after(() => world.close());

  const takes = (token: string, name: string, password = goodPassword) =>
    world.ask('/api/accept', { body: { invite: token, name, password } });

  test('an invitation counts once, in time, and for a password that is hard to guess', async () => {
    const { token } = await invite(world.policyFile);
    for (const weak of ['short', 'password1234', 'kestrelmoor2026', 'imkeimkeimke']) {
      const answer = await takes(token, 'Imke', weak);
      assert.deepEqual(
        [answer.status, ((await answer.json()) as { error: { code: string } }).error.code],
        [400, 'password-weak'],
        weak,
      );
    }
    for (const name of ['', '<script>', 'a'.repeat(80)]) assert.equal((await takes(token, name)).status, 400, name);
    const both = await Promise.all([takes(token, 'Imke'), takes(token, 'Sly')]);
    assert.deepEqual(both.map(({ status }) => status).sort(), [200, 400]);
    assert.equal((await takes(token, 'Late')).status, 400);
    assert.equal((await takes('', 'Nobody')).status, 400);
    assert.equal((await listPeople(world.policyFile)).people.length, 1);
    const text = await readFile(join(world.folder, '.dorlin/console.json'), 'utf8');
    assert.ok(!text.includes(token) && !text.includes(goodPassword));
  });

  test('a session ends when it is left, when all are ended, and when its person is taken out', async () => {
    const is = async (one: Person) => (await one.session()).person !== undefined;
    const ada = await world.person('Ada');
    assert.ok(await is(ada));
    assert.equal((await ada.raw('view', {})).status, 200);
    await endSessions(world.policyFile, 'Ada');
    assert.ok(!(await is(ada)));
    assert.equal(await ada.refused('view', {}), '401 not-signed-in');

    const ben = await world.person('Ben');
    const left = await world.ask('/api/leave', {
      body: {},
      headers: { cookie: ben.cookie, 'dorlin-token': ben.token },
    });
    assert.equal(left.status, 200);
    assert.ok(!(await is(ben)));

    const cleo = await world.person('Cleo');
    await removePerson(world.policyFile, 'Cleo');
    assert.ok(!(await is(cleo)));

    const dan = await world.person('Dan');
    world.now += 1.9 * 3600;
    assert.ok(await is(dan), 'used within two hours');
    world.now += 2.1 * 3600;
    assert.ok(!(await is(dan)), 'idle');
    const eve = await world.person('Eve');
    for (let hour = 0; hour < 15; hour++) {
      world.now += 3600;
      assert.ok(await is(eve));
    }
    world.now += 2 * 3600;
    assert.ok(!(await is(eve)), 'at most sixteen hours');
  });

  test('a new password by an invitation ends the sessions that were', async () => {
    const fay = await world.person('Fay');
    const { token } = await invite(world.policyFile, { person: 'Fay' });
    const answer = await takes(token, 'whatever is typed here', 'another four words entirely');
    assert.equal(((await answer.json()) as { person: { name: string } }).person.name, 'Fay');
    assert.equal((await fay.session()).person, undefined);
  });

  test('the cookie is for this origin alone, and the last owner stays', async () => {
    const { token } = await invite(world.policyFile);
    const plain = await takes(token, 'Gus');
    assert.match(
      plain.headers.getSetCookie()[0] ?? '',
      /^dorlin-console=[^;]{43}; Path=\/; HttpOnly; SameSite=Strict$/,
    );
    const next = await invite(world.policyFile);
    const secure = await world.ask('/api/accept', {
      body: { invite: next.token, name: 'Hal', password: goodPassword },
      encrypted: true,
    });
    assert.match(secure.headers.getSetCookie()[0] ?? '', /^__Host-dorlin-console=.*; Secure/);
    const { people } = await listPeople(world.policyFile);
    for (const { id } of people.slice(1)) await removePerson(world.policyFile, id);
    await assert.rejects(removePerson(world.policyFile, people[0]?.id ?? ''), { code: 'person-last' });
  });

  test('guesses at a password are counted, by visitor and by name, and a right one gives its try back', async () => {
    const guess = (name: string, password: string, address = '127.0.0.1') =>
      world.ask('/api/enter', { body: { name, password }, address });
    const { people } = await listPeople(world.policyFile);
    const name = people[0]?.name ?? '';
    for (let round = 0; round < 15; round++) assert.equal((await guess(name, goodPassword)).status, 200);
    const seen: number[] = [];
    for (let round = 0; round < 14; round++) seen.push((await guess(name, `wrong ${round}`)).status);
    assert.deepEqual([...new Set(seen)], [403, 429]);
    const waiting = await guess(name, goodPassword);
    assert.equal(waiting.status, 429);
    assert.ok(Number(waiting.headers.get('retry-after')) > 0);
  });

  test('guesses at one name are counted together, however it is spelled and wherever they come from', async () => {
    const name = 'Brigid';
    await world.person(name);
    const wide = name.replace(/[!-~]/g, (letter) => String.fromCharCode(letter.charCodeAt(0) + 0xfee0));
    const spelled = [
      name,
      name.toUpperCase(),
      wide,
      ` ${name}`,
      wide.toLowerCase(),
      `${wide.slice(0, 1)}${name.slice(1)}`,
    ];
    const seen: number[] = [];
    for (let round = 0; round < 60; round++) {
      const body = { name: spelled[round % spelled.length], password: `wrong ${round}` };
      seen.push((await world.ask('/api/enter', { body, address: `127.0.1.${round + 1}` })).status);
    }
    assert.ok(seen.slice(0, 5).every((status) => status === 403));
    assert.equal(seen.at(-1), 429);
    assert.ok(seen.filter((status) => status === 403).length <= 30, String(seen));
  });

  test('behind a proxy that is trusted it insists on https, and elsewhere on this machine', async () => {
    const behind = await testConsole(
      policy.replace('folder: dist', 'folder: dist, trustedProxies: [192.0.2.1/32]'),
      files,
    );
    const asked = async (asking: Asking) => (await behind.ask('/api/session', asking)).status;
    assert.equal(await asked({}), 200);
    assert.equal(await asked({ address: '192.0.2.1' }), 403);
    assert.equal(await asked({ address: '192.0.2.1', headers: { 'x-forwarded-proto': 'https' } }), 200);
    assert.equal(await asked({ address: '192.0.2.1', headers: { 'x-forwarded-proto': 'https, http' } }), 403);
    assert.equal(await asked({ address: '192.0.2.7', headers: { 'x-forwarded-proto': 'https' } }), 403);
    assert.equal(await asked({ headers: { 'x-forwarded-for': '203.0.113.7' } }), 403);
    assert.equal(await asked({ headers: { forwarded: 'proto=https' } }), 403);
    await behind.close();
  });

  test('a file of people that cannot be read lets nobody in', async () => {
    const ida = await world.person('Ida');
    const file = join(world.folder, '.dorlin/console.json');
    const text = await readFile(file, 'utf8');
    await writeFile(file, text.slice(0, -20));
    assert.equal((await ida.raw('view', {}, 'x')).status, 400);
    await writeFile(file, text);
    assert.equal((await ida.raw('view', {})).status, 200);
  });
});

test('every answer forbids frames, sniffing and what is not its own', async () => {
  const world = await testConsole(policy, files);
  const wrong = { headers: { host: 'evil.example' } };
  for (const [path, asking] of [['/api/session'], ['/api/nothing'], ['/api/view'], ['/api/session', wrong]] as const) {
    const { headers } = await world.ask(path, asking);
    assert.match(
      headers.get('content-security-policy') ?? '',
      /default-src 'none'.*script-src 'self'.*frame-ancestors 'none'/,
      path,
    );
    assert.doesNotMatch(headers.get('content-security-policy') ?? '', /unsafe/);
    assert.equal(headers.get('x-content-type-options'), 'nosniff');
    assert.equal(headers.get('cache-control'), 'no-store');
  }
  assert.equal((await world.ask('/api/session', { headers: { 'sec-fetch-site': 'cross-site' } })).status, 403);
  assert.equal((await world.ask('/api/session', { headers: { host: 'localhost.evil.example:4290' } })).status, 403);
  assert.equal(new URL(origin).hostname, '127.0.0.1');
  await world.close();
});
