import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import type { Verdict, VisitHeaders } from '../../src/guard/visit/visit.js';
import { answered, testGuard } from '../support/guards.js';
import { testPolicy, type TestLock } from '../support/policies.js';

const staff = { staff: { roles: ['editor'] }, quiet: { people: ['quiet'], ribbon: false } };
const locks: Record<string, TestLock> = {
  members: { covers: ['/members/'], passwords: { aa: 'one' }, bypass: ['staff', 'quiet'] },
  trustees: { covers: ['/trustees/'], outsiders: 'not-found', bypass: ['staff'] },
  away: { covers: ['/away/'], outsiders: { redirect: '/join' }, bypass: ['staff'] },
  refit: { covers: ['/refit/'], outsiders: 'closed', bypass: ['staff'] },
  walk: { covers: ['/events#walk'], passwords: { bb: 'two' }, bypass: ['staff'] },
  strict: {
    covers: ['/strict/'],
    passwords: { cc: 'three' },
    bypass: ['staff'],
    requires: ['other'],
  },
  other: { covers: ['/other/'], passwords: { dd: 'four' } },
};

async function world(site: Readonly<Record<string, unknown>> = {}) {
  const policy = await testPolicy(locks, site, { bypasses: staff });
  return testGuard(policy, {
    identify: ({ headers }) =>
      headers['x-person'] === undefined
        ? {}
        : { person: String(headers['x-person']), roles: [String(headers['x-role'])] },
  });
}

const page = '<!doctype html><html><body><h1>Page</h1><section id="walk">SECRET</section></body></html>\n';
const editor = { 'x-person': 'tam', 'x-role': 'editor', 'sec-fetch-dest': 'document' };
const public_ = { 'sec-fetch-dest': 'document' };

/** What is sent for a page of the application. */
async function shown(verdict: Verdict, body = page, contentType = 'text/html; charset=utf-8') {
  if (verdict.kind === 'answer') return String(verdict.body);
  const bytes = new TextEncoder().encode(body);
  const filtered = await verdict.page?.filter({ status: 200, contentType, body: bytes });
  if (filtered?.kind === 'answer') return String(filtered.body);
  return filtered?.kind === 'changed' ? new TextDecoder().decode(filtered.body) : body;
}

describe('the bar for those let in by a bypass', () => {
  // address, what the bar says of the public
  const table: [string, RegExp | undefined][] = [
    ['/members/log', /The public sees the password screen here\..*You are in by: staff\./],
    ['/trustees/', /The public is told that there is nothing here/],
    ['/away/', /The public is sent elsewhere/],
    ['/refit/', /The public finds this page closed/],
    ['/events', /The public does not see all of this page.*You are in by: staff/],
    ['/open', undefined],
  ];
  for (const [address, says] of table) {
    test(address, async () => {
      const visitor = (await world()).browser();
      // Twice, as the second time the page is known.
      for (let turn = 0; turn < 2; turn++) {
        const text = await shown(await visitor.get(address, editor));
        assert.ok(text.includes('SECRET'));
        if (says === undefined) assert.equal(text, page);
        else {
          assert.match(text, says);
          assert.match(text, /<\/dorlin-ribbon><\/body><\/html>\n$/);
        }
      }
    });
  }

  // why there is none, headers, type, body, policy
  const none: [string, VisitHeaders, string, string, Record<string, unknown>][] = [
    ['a script asks', { ...editor, 'sec-fetch-dest': 'empty' }, 'text/html', page, {}],
    ['a frame asks', { ...editor, 'sec-fetch-dest': 'iframe' }, 'text/html', page, {}],
    ['nobody says what for', { 'x-person': 'tam', 'x-role': 'editor' }, 'text/html', page, {}],
    ['it is no page', editor, 'application/json', '{}', {}],
    ['it is in another encoding', editor, 'text/html', '\0<\0p\0', {}],
    ['the policy has it off', editor, 'text/html', page, { ribbon: false }],
    ['the bypass has it off', { ...editor, 'x-role': '', 'x-person': 'quiet' }, 'text/html', page, {}],
  ];
  for (const [why, headers, type, body, site] of none) {
    test(`none where ${why}`, async () => {
      const visitor = (await world(site)).browser();
      const verdict = await visitor.get('/members/log', headers);
      assert.equal(verdict.kind, 'let-in');
      assert.equal(await shown(verdict, body, type), body);
    });
  }

  test('none for those with a password, and none for strangers', async () => {
    const visitor = (await world()).browser();
    assert.doesNotMatch(await shown(await visitor.get('/members/log', public_)), /ribbon/);
    await visitor.unlock('members', 'one');
    assert.equal(await shown(await visitor.get('/members/log', public_)), page);
  });

  test('put away, it stays away', async () => {
    const visitor = (await world()).browser();
    const answer = answered(await visitor.post('/_dorlin/view', { do: 'away', to: '/members/log' }));
    assert.equal(answer.headers['location'], '/members/log');
    assert.equal(await shown(await visitor.get('/members/log', editor)), page);
  });

  test('nothing in it can become a tag, and all of it is ASCII', async () => {
    const visitor = (await world({ languages: ['fr'] })).browser();
    const text = await shown(await visitor.get('/members/x?"><script>é', editor));
    assert.doesNotMatch(text.replace('SECRET', ''), /<script|[^\x00-\x7f]/);
    assert.match(text, /l&#8217;&#233;cran/);
  });
});

describe('seeing the site as the public does', () => {
  test('the screen comes up, with a way back, and the sign-in is not lost', async () => {
    const visitor = (await world()).browser();
    await visitor.get('/members/log', editor);
    await visitor.post('/_dorlin/view', { do: 'public', to: '/members/log' }, editor);
    const screen = answered(await visitor.get('/members/log', editor));
    assert.equal(screen.status, 403);
    assert.match(screen.body, /This page is locked[^]*You see this site as the public does/);
    assert.match(String(screen.headers['content-security-policy']), /style-src '[^']+' 'self'/);
    assert.match(await shown(await visitor.get('/open', editor)), /as the public does/);
    assert.doesNotMatch(await shown(await visitor.get('/events', editor)), /SECRET/);
    assert.equal((await visitor.get('/trustees/', editor)).kind, 'missing');
    await visitor.post('/_dorlin/view', { do: 'own', to: '/members/log' }, editor);
    assert.equal((await visitor.get('/members/log', editor)).kind, 'let-in');
    assert.match(await shown(await visitor.get('/events', editor)), /SECRET/);
  });

  test('earlier passes do not count meanwhile, later ones do', async () => {
    const site = await world();
    const visitor = site.browser();
    await visitor.unlock('members', 'one');
    await visitor.post('/_dorlin/view', { do: 'public', to: '/' });
    assert.equal((await visitor.get('/members/log')).kind, 'answer');
    site.now += 5;
    await visitor.unlock('members', 'one');
    assert.equal((await visitor.get('/members/log')).kind, 'let-in');
  });

  test('it can be forged, and opens nothing', async () => {
    for (const value of ['0', '-1', 'x', '']) {
      const visitor = (await world()).browser();
      visitor.cookies.set('dorlin-view', { value, lasts: false });
      assert.equal((await visitor.get('/members/log', editor)).kind, 'answer', value);
    }
  });

  test('one that lies in the future keeps nobody out, as a neighbor on the same domain could set it', async () => {
    for (const value of ['999999999999', '1800003600']) {
      const visitor = (await world()).browser();
      visitor.cookies.set('dorlin-view', { value, lasts: false });
      assert.equal((await visitor.get('/members/log', editor)).kind, 'let-in', value);
      const other = (await world()).browser();
      other.cookies.set('dorlin-view', { value, lasts: false });
      await other.post('/_dorlin/unlock', { lock: 'members', password: 'one', to: '/members/log' });
      assert.equal((await other.get('/members/log')).kind, 'let-in', value);
    }
  });

  test('another site cannot press its buttons', async () => {
    const visitor = (await world()).browser();
    const sent = await visitor.post('/_dorlin/view', { do: 'public', to: '/' }, { 'sec-fetch-site': 'cross-site' });
    assert.equal(answered(sent).status, 403);
    const elsewhere = await visitor.post('/_dorlin/view', { do: 'own', to: '//evil.example' });
    assert.equal(answered(elsewhere).headers['location'], '/');
  });
});

describe('what menus are told', () => {
  const names = (visitor: { cookies: Map<string, { value: string }> }) => visitor.cookies.get('dorlin-open')?.value;

  test('a bypass shows in the names of open locks, and its end does', async () => {
    const visitor = (await world()).browser();
    await visitor.get('/members/log', editor);
    assert.equal(names(visitor), 'members.trustees.away.refit.walk');
    await visitor.get('/members/log');
    assert.equal(names(visitor), '');
    await visitor.get('/_dorlin/status', editor);
    assert.equal(names(visitor), 'members.trustees.away.refit.walk');
    await visitor.post('/_dorlin/view', { do: 'public', to: '/' }, editor);
    assert.equal(names(visitor), '');
  });

  test('a server may ask, lock by lock', async () => {
    const { guard } = await world();
    const ask = (lock: string, headers: VisitHeaders = {}) =>
      guard.opened({ method: 'GET', target: '/', headers, encrypted: false }, lock);
    assert.equal(await ask('members'), false);
    assert.equal(await ask('members', editor), true);
    assert.equal(await ask('strict', editor), false, 'it requires another');
    assert.throws(() => ask('member'), { code: 'lock-unknown' });
  });

  test('a server is told no where finding out fails', async () => {
    const policy = await testPolicy(locks, {}, { bypasses: staff });
    const { guard } = await testGuard(policy, {
      identify: () => Promise.reject(new Error('down')),
    });
    const visit = { method: 'GET', target: '/', headers: {}, encrypted: false };
    assert.equal(await guard.opened(visit, 'members'), false);
  });
});
