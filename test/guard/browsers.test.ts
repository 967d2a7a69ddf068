import assert from 'node:assert/strict';
import { test } from 'node:test';
import { readPolicy } from '../../src/core/policy/read.js';
import { cutPage } from '../../src/core/sections/cut.js';
import type { Letter } from '../../src/core/site-ports.js';
import { answered, testGuard } from '../support/guards.js';
import { policyText, testPolicy, type TestLock } from '../support/policies.js';

test('passes of many locks with long names stay in one cookie that browsers keep, the most recent ones', async () => {
  const names = Array.from({ length: 40 }, (_, at) => `lock-${at}-${'with-a-long-name-'.repeat(2)}x`);
  const locks = Object.fromEntries(
    names.map((name, at): [string, TestLock] => [
      name,
      { covers: [`/p${at}/`], passwords: { aa: `word ${at}` }, remember: '30 days' },
    ]),
  );
  const world = await testGuard(await testPolicy(locks));
  const visitor = world.browser();
  for (const [at, name] of names.entries()) {
    const verdict = await visitor.post('/_dorlin/unlock', { lock: name, password: `word ${at}`, to: `/p${at}/` });
    for (const line of [answered(verdict).headers['set-cookie'] ?? []].flat()) {
      const [pair = ''] = line.split(';', 1);
      assert.ok(Buffer.byteLength(pair) <= 4096, `${pair.slice(0, 40)}: ${pair.length}`);
    }
    assert.equal((await visitor.get(`/p${at}/`)).kind, 'let-in', name);
  }
  assert.equal((await visitor.get('/p38/')).kind, 'let-in');
  assert.equal((await visitor.get('/p0/')).kind, 'answer');
  assert.ok(world.events.some((event) => event.type === 'failed' && event.message.includes('lock-')));
});

test('what somebody writes into a request is in no e-mail to somebody else', async () => {
  const screen = { below: [{ request: { gives: { password: 'All' }, consent: 'Yes, write to me.' } }] };
  const text = await policyText(
    { members: { covers: ['/members/', '/**/guide'], passwords: { All: 'owl' } } },
    { name: 'Kestrelmoor', origin: 'https://k.example' },
    { screens: { default: screen }, mail: { from: 'a@k.example' } },
  );
  const read = readPolicy(text);
  const policy = read.ok ? read.policy : await testPolicy({});
  assert.equal(read.ok, true, read.ok ? '' : JSON.stringify(read.problems));
  const letters: Letter[] = [];
  const { browser } = await testGuard(policy, {
    requests: {
      recall: () => Promise.resolve('owl'),
      send: (letter: Letter) => Promise.resolve(void letters.push(letter)),
      keep: () => Promise.resolve(),
    },
  });
  for (const [at, to] of ['/members/YOUR-ACCOUNT-IS-SUSPENDED', '/CALL/0900/guide', '/members/?call=0900'].entries()) {
    await browser().post('/_dorlin/request', { lock: 'members', to, address: `a${at}@b.example`, consent: 'on' });
  }
  assert.equal(letters.length, 3);
  for (const { subject, text: said } of letters) {
    assert.equal(subject, 'Kestrelmoor: the way in to members');
    assert.doesNotMatch(subject + said, /SUSPENDED|CALL|0900/);
    assert.match(said, /https:\/\/k\.example\/members\//);
  }
});

test('a policy whose sign-in page only opens for people who have signed in is refused, and says what to do', async () => {
  const at = async (locks: Record<string, TestLock>) => {
    const read = readPolicy(
      await policyText(
        locks,
        {},
        { bypasses: { known: { signedIn: true } }, identity: { signIn: { to: '/login?x=1#form', returnAs: 'to' } } },
      ),
    );
    return read.ok ? undefined : read.problems.map(({ message }) => message).join();
  };
  assert.match(
    (await at({ all: { covers: ['/'], bypass: ['known'] } })) ?? '',
    /`\/login` is where people sign in.*`except`/,
  );
  assert.equal(await at({ all: { covers: ['/'], except: ['/login'], bypass: ['known'] } }), undefined);
  // A second door before the sign-in is meant.
  assert.equal(await at({ door: { covers: ['/login'], passwords: { aa: 'one' }, bypass: ['known'] } }), undefined);
});

test('where signing in would do, the screen that asks for a password shows the way there, if that is open', async () => {
  const shown = async (except: readonly string[]) => {
    const policy = await testPolicy(
      {
        all: { covers: ['/'], except, passwords: { aa: 'one' }, bypass: ['known'] },
        other: { covers: ['/other'], passwords: { bb: 'two' } },
      },
      {},
      { bypasses: { known: { signedIn: true } }, identity: { signIn: { to: '/login', returnAs: 'to' } } },
    );
    const { browser } = await testGuard(policy);
    return async (path: string) => answered(await browser().get(path)).body;
  };
  const open = await shown(['/login']);
  assert.match(await open('/about'), /href="\/login\?to=%2Fabout"/);
  assert.doesNotMatch(await open('/other'), /\/login/);
  assert.doesNotMatch(await (await shown([]))('/about'), /\/login/);
});

test('a page with a select that browsers read in another way is locked whole; with plain options it is cut', () => {
  const section = '<p>PUBLIC</p><div data-dorlin-lock=walk>SECRET<p>more</p></div>';
  const cuts = { ids: new Map(), marks: new Map([['walk', { lock: 'walk', kind: 'ask' as const }]]) };
  const cut = (body: string) => cutPage(`<!doctype html><html><body>${body}`, cuts, { unlock: '/u', script: '/s' });
  const strange = [
    '<select><table></select>',
    '<select><object></select>',
    '<select><title>x</title></select>',
    '<select><b></select>',
    '<form><select></form></select>',
    '<select><div><option>x</option></div></select>',
    '<select><option>x</option></option></select>',
    '<select><select></select></select>',
    '<select><button><selectedcontent></selectedcontent></button><option>x</option></select>',
  ];
  for (const one of strange) {
    assert.equal(cut(one + section), 'select', one);
    assert.equal(cut(`<div data-dorlin-lock=walk>${one}</div>${section}`), 'select', one);
  }
  const plain =
    '<select><option>a<option selected>b<optgroup label=x><option>c</optgroup><hr><option>d</option></select><select></select>';
  assert.equal(typeof cut(plain + section), 'object');
});

test('data of a page that was seen to have marked sections is locked with them', async () => {
  const policy = await testPolicy({ night: { covers: ['/nothing'], passwords: { aa: 'owl' } } });
  const { browser } = await testGuard(policy);
  const page = '<!doctype html><p>PUBLIC<div data-dorlin-lock="night">SECRET</div>';
  const visitor = browser();
  const data = ['/events/__data.json', '/events.data', '/events.txt', '/events/_payload.json?1', '/EVENTS.data'];
  const verdict = await visitor.get('/events?from=here');
  assert.ok(verdict.kind === 'open');
  const about = { status: 200, contentType: 'text/html', body: new TextEncoder().encode(page), etag: '"1"' };
  await verdict.page?.filter(about);
  for (const address of data) assert.equal(answered(await browser().get(address)).status, 403, address);
  assert.equal((await browser().get('/about/__data.json')).kind, 'open');
  await visitor.post('/_dorlin/unlock', { lock: 'night', password: 'owl', to: '/events' });
  for (const address of data) assert.equal((await visitor.get(address)).kind, 'let-in', address);
});
