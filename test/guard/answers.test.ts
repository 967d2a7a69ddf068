import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { setFlagsFromString } from 'node:v8';
import { runInNewContext } from 'node:vm';
import { testPolicy } from '../support/policies.js';
import { answered, testGuard } from '../support/guards.js';

const policy = await testPolicy(
  {
    site: { covers: ['/'], except: ['/index.html', '/open/'], passwords: { ss: 'site' } },
    members: { covers: ['/members/'], passwords: { aa: 'one', bb: 'two' }, remember: '30 days' },
    press: { covers: ['/press/'], passwords: { pp: 'ink' }, remember: { choice: '90 days' } },
    closed: { covers: ['/closed/'] },
    twin: { covers: ['/twin/'], passwords: { tt: 'left' } },
    other: { covers: ['/twin/'], passwords: { oo: 'right' } },
  },
  {
    languages: ['en', 'fr', 'de'],
    trustedProxies: ['198.51.100.1'],
    origin: 'https://site.example',
  },
);

describe('what a stranger gets', () => {
  test('an open address is let through, without a promise', async () => {
    const { guard } = await testGuard(policy);
    const verdict = guard.answer({
      method: 'GET',
      target: '/open/x',
      headers: {},
      encrypted: false,
    });
    assert.ok(!(verdict instanceof Promise));
    assert.equal(verdict.kind, 'open');
  });
  test('a locked one is the screen, the same for what is there and what is not', async () => {
    const { browser } = await testGuard(policy);
    const screen = answered(await browser().get('/members/log'));
    assert.equal(screen.status, 403);
    assert.equal(screen.headers['cache-control'], 'no-store');
    assert.equal(screen.headers['x-robots-tag'], 'noindex');
    assert.match(String(screen.headers['content-security-policy']), /^default-src 'none'; style-src 'sha256-/);
    for (const name of ['etag', 'last-modified', 'accept-ranges', 'content-range'])
      assert.ok(!(name in screen.headers));
    assert.match(screen.body, /name="to" value="\/members\/log"/);
    const missing = answered(await browser().get('/members/nothing'));
    assert.equal(missing.body.replace('nothing', 'log'), screen.body);
    assert.deepEqual(missing.headers, screen.headers);
  });
  test('the method, a range or a condition changes nothing', async () => {
    const { browser } = await testGuard(policy);
    const plain = answered(await browser().get('/members/log'));
    const headers = {
      range: 'bytes=0-1',
      'if-none-match': '*',
      'if-modified-since': new Date().toUTCString(),
    };
    for (const method of ['GET', 'HEAD', 'POST', 'PUT', 'DELETE', 'OPTIONS', 'PROPFIND', 'TRACE']) {
      assert.deepEqual(await browser().send({ target: '/members/log', method, headers }), plain, method);
    }
  });
  test('a lock without a password says closed and shows no form', async () => {
    const { browser, events } = await testGuard(policy);
    const { status, body } = answered(await browser().get('/closed/x'));
    assert.equal(status, 403);
    assert.match(body, /This page is closed/);
    assert.doesNotMatch(body, /<form|<input|<script/);
    assert.deepEqual(
      events.map(({ type }) => type),
      ['closed'],
    );
  });
  test('an address in doubt is 400', async () => {
    const { browser } = await testGuard(policy);
    assert.equal(answered(await browser().get('/open/../members/')).status, 400);
    assert.equal(answered(await browser().get('/open/%00')).status, 400);
  });
  test('the screen speaks the language asked for, of those the site has', async () => {
    const { browser } = await testGuard(policy);
    const lang = async (accept: string) =>
      /<html lang="([^"]+)"/.exec(answered(await browser().get('/x', { 'accept-language': accept })).body)?.[1];
    assert.equal(await lang('de-AT,de;q=0.9,en;q=0.5'), 'de');
    assert.equal(await lang('ja,fr;q=0.2'), 'fr');
    assert.equal(await lang('ja'), 'en');
  });
});

describe('unlocking', () => {
  test('wrong: the screen says so; right: to the very page, with a pass', async () => {
    const { browser, events } = await testGuard(policy);
    const visitor = browser();
    const wrong = answered(await visitor.unlock('members', 'nope', '/members/log?a=1'));
    assert.equal(wrong.status, 403);
    assert.match(wrong.body, /role="alert"/);
    assert.match(wrong.body, /name="to" value="\/members\/log\?a=1"/);
    assert.equal(visitor.cookies.size, 0);
    const right = answered(await visitor.unlock('members', 'two', '/members/log?a=1'));
    assert.equal(right.status, 303);
    assert.equal(right.headers['location'], '/members/log?a=1');
    const [pass, , , open] = right.headers['set-cookie'] as string[];
    assert.match(String(pass), /^dorlin=[\w.-]+; Max-Age=2592000; Path=\/; HttpOnly; SameSite=Lax$/);
    assert.match(String(open), /^dorlin-open=members; Max-Age=2592000; Path=\/; SameSite=Lax$/);
    const through = await visitor.get('/MEMBERS/other');
    assert.ok(through.kind === 'let-in');
    assert.deepEqual(through.locks, ['members']);
    assert.deepEqual(through.headers, {
      'cache-control': 'private, no-store',
      'x-robots-tag': 'noindex',
      vary: 'Cookie',
    });
    assert.deepEqual(
      events.map(({ type }) => type),
      ['wrong', 'unlocked'],
    );
    assert.ok(!JSON.stringify(events).includes('two'), 'no password in an event');
  });
  test('a pass seen before is answered without a promise', async () => {
    const { guard, browser } = await testGuard(policy);
    const visitor = browser();
    await visitor.unlock('members', 'one');
    await visitor.get('/members/');
    const cookie = [...visitor.cookies].map(([name, { value }]) => `${name}=${value}`).join('; ');
    const verdict = guard.answer({
      method: 'GET',
      target: '/members/x',
      headers: { cookie },
      encrypted: false,
    });
    assert.ok(!(verdict instanceof Promise) && verdict.kind === 'let-in');
  });
  test('one lock opens no other, and a second keeps the first', async () => {
    const { browser } = await testGuard(policy);
    const visitor = browser();
    await visitor.unlock('members', 'one');
    assert.equal((await visitor.get('/press/')).kind, 'answer');
    await visitor.unlock('press', 'ink');
    assert.equal((await visitor.get('/press/')).kind, 'let-in');
    assert.equal((await visitor.get('/members/')).kind, 'let-in');
    assert.equal(answered(await visitor.get('/_dorlin/status')).body, '{"open":["members","press"]}\n');
    assert.equal((await browser().get('/members/')).kind, 'answer');
  });
  test('of two locks over one place either password opens', async () => {
    const { browser } = await testGuard(policy);
    for (const password of ['left', 'right']) {
      const visitor = browser();
      await visitor.unlock('twin', password, '/twin/');
      assert.equal((await visitor.get('/twin/x')).kind, 'let-in', password);
    }
  });
  test('the password of another lock does not open', async () => {
    const { browser } = await testGuard(policy);
    for (const [lock, password, to] of [
      ['members', 'ink', '/members/'],
      ['closed', 'one', '/closed/'],
      ['members', 'site', '/members/'],
      ['nonsense', 'one', '/press/'],
    ] as const) {
      const visitor = browser();
      assert.equal(answered(await visitor.unlock(lock, password, to)).status, 403);
      assert.equal((await visitor.get(to)).kind, 'answer');
    }
  });
  test('the landing place is on this site, whatever the form says', async () => {
    const { browser } = await testGuard(policy);
    for (const to of [
      '//evil.example',
      '/\\evil.example',
      'https://evil.example',
      'javascript:alert(1)',
      '/a\r\nset-cookie: x=1',
      '/a b',
      '/\u00e9',
      '',
      'members',
    ]) {
      assert.equal(answered(await browser().unlock('members', 'one', to)).headers['location'], '/members/', to);
    }
  });
  test('as JSON the same', async () => {
    const { browser } = await testGuard(policy);
    const json = { accept: 'application/json' };
    const wrong = answered(
      await browser().post('/_dorlin/unlock', { lock: 'members', password: 'x', to: '/members/' }, json),
    );
    assert.equal(wrong.status, 403);
    assert.equal((JSON.parse(wrong.body) as { state: string }).state, 'wrong');
    const right = answered(
      await browser().post('/_dorlin/unlock', { lock: 'members', password: 'one', to: '/members/' }, json),
    );
    assert.deepEqual(JSON.parse(right.body), { open: ['members'], to: '/members/' });
    assert.ok(right.headers['set-cookie']);
  });
});

describe('how long a pass lasts', () => {
  const day = 86_400;
  test('a visit ends when the browser closes, and after a day at the latest', async () => {
    const world = await testGuard(policy);
    const visitor = world.browser();
    await visitor.unlock('site', 'site', '/x');
    await visitor.unlock('members', 'one');
    visitor.reopen();
    assert.equal((await visitor.get('/members/')).kind, 'let-in');
    assert.equal((await visitor.get('/x')).kind, 'answer', 'a lasting cookie must not carry a visit along');
    await visitor.unlock('site', 'site', '/x');
    world.now += day - 1;
    assert.equal((await visitor.get('/x')).kind, 'let-in');
    world.now += 1;
    assert.equal((await visitor.get('/x')).kind, 'answer');
  });
  test('the choice is the visitor’s', async () => {
    const world = await testGuard(policy);
    const [staying, passing] = [world.browser(), world.browser()];
    await staying.unlock('press', 'ink', '/press/', { stay: 'on' });
    await passing.unlock('press', 'ink', '/press/');
    for (const visitor of [staying, passing]) {
      assert.equal((await visitor.get('/press/')).kind, 'let-in');
      visitor.reopen();
    }
    world.now += 80 * day;
    assert.equal((await staying.get('/press/')).kind, 'let-in');
    assert.equal((await passing.get('/press/')).kind, 'answer');
  });
  test('leaving forgets everything', async () => {
    const { browser } = await testGuard(policy);
    const visitor = browser();
    await visitor.unlock('members', 'one');
    assert.equal(answered(await visitor.post('/_dorlin/leave', {})).headers['location'], '/');
    assert.deepEqual([...visitor.cookies.keys()], ['dorlin-known'], 'which opens nothing');
    assert.equal((await visitor.get('/members/')).kind, 'answer');
  });
  test('a retired or changed password puts its visitors out at once, and only them', async () => {
    const world = await testGuard(policy);
    const [one, two] = [world.browser(), world.browser()];
    await one.unlock('members', 'one');
    await two.unlock('members', 'two');
    world.policy = await testPolicy(
      {
        members: {
          covers: ['/members/'],
          passwords: { aa: 'changed', bb: 'two' },
          remember: '30 days',
        },
      },
      { origin: 'https://site.example' },
    );
    assert.equal((await one.get('/members/')).kind, 'answer');
    assert.equal((await two.get('/members/')).kind, 'let-in');
  });
});

describe('behind and beside', () => {
  test('cookies carry the __Host- prefix on https, direct or by a trusted proxy alone', async () => {
    const { browser } = await testGuard(policy);
    const forwarded = {
      'x-forwarded-proto': 'https',
      'content-type': 'application/x-www-form-urlencoded',
    };
    const readBody = () => Promise.resolve('lock=members&password=one&to=/');
    const names = async (visit: object) => {
      const visitor = browser();
      await visitor.send({
        target: '/_dorlin/unlock',
        method: 'POST',
        readBody,
        headers: forwarded,
        ...visit,
      });
      return [...visitor.cookies.keys()];
    };
    const secure = ['__Host-dorlin', '__Host-dorlin-visit', '__Host-dorlin-known', 'dorlin-open'];
    assert.deepEqual(await names({ encrypted: true }), secure);
    assert.deepEqual(await names({ address: '198.51.100.1' }), secure);
    assert.deepEqual(await names({ address: '::ffff:198.51.100.1' }), secure);
    assert.deepEqual(await names({ address: '203.0.113.9' }), [
      'dorlin',
      'dorlin-visit',
      'dorlin-known',
      'dorlin-open',
    ]);
    // On https the cookie that any subdomain or plain http could set is not looked at.
    const visitor = browser();
    await visitor.unlock('members', 'one');
    assert.equal((await visitor.send({ target: '/members/', encrypted: true })).kind, 'answer');
  });
  test('forms of other sites are refused', async () => {
    const { browser } = await testGuard(policy);
    const unlock = async (headers: Record<string, string>) =>
      answered(await browser().post('/_dorlin/unlock', { lock: 'members', password: 'one', to: '/' }, headers)).status;
    assert.equal(await unlock({ 'sec-fetch-site': 'cross-site' }), 403);
    assert.equal(await unlock({ origin: 'https://evil.example' }), 403);
    assert.equal(await unlock({ origin: 'null' }), 403);
    assert.equal(await unlock({ origin: 'http://site.example' }), 303);
    assert.equal(await unlock({ origin: 'https://site.example' }), 303);
    assert.equal(await unlock({ 'sec-fetch-site': 'same-origin', origin: 'null' }), 303);
  });
  test('its own addresses answer to their own methods, and to nothing else', async () => {
    const { browser } = await testGuard(policy);
    const statusOf = async (target: string, method = 'GET') =>
      answered(await browser().send({ target, method })).status;
    assert.equal(await statusOf('/_dorlin/unlock'), 303);
    assert.equal(await statusOf('/_dorlin/unlock', 'PUT'), 405);
    assert.equal(await statusOf('/_dorlin/leave', 'DELETE'), 405);
    assert.equal(await statusOf('/_dorlin/status', 'POST'), 404);
    assert.equal(await statusOf('/_dorlin/assets/../status'), 404);
    assert.equal(await statusOf('/_dorlin/'), 404);
    const script = /src="([^"]+)"/.exec(answered(await browser().get('/x')).body)?.[1] ?? '';
    const asset = answered(await browser().get(script));
    assert.equal(asset.status, 200);
    assert.match(String(asset.headers['cache-control']), /immutable/);
  });
  test('an error on the way lets nobody in', async () => {
    const world = await testGuard(policy);
    const visitor = world.browser();
    await visitor.unlock('members', 'one');
    const broken = {
      ...policy,
      index: {
        ...policy.index,
        nearest: () => {
          throw new Error('broken');
        },
      },
    };
    world.policy = broken;
    for (const target of ['/open/x', '/members/x']) {
      assert.equal(answered(await visitor.get(target)).status, 500);
    }
    assert.deepEqual(world.events.at(-1), {
      type: 'failed',
      message: 'broken',
      address: '192.0.2.0/24',
    });
    world.policy = policy;
    const late = await visitor.send({
      target: '/_dorlin/unlock',
      method: 'POST',
      readBody: () => Promise.reject(new Error('cut off')),
    });
    assert.equal(answered(late).status, 500);
  });
  test('a flood of forged cookies does not push a real one out', async () => {
    const { guard, browser } = await testGuard(policy);
    const visitor = browser();
    await visitor.unlock('members', 'one');
    await visitor.get('/members/');
    const answer = (cookie: string) =>
      guard.answer({ method: 'GET', target: '/members/x', headers: { cookie }, encrypted: false });
    for (let at = 0; at < 12_000; at++) await answer(`dorlin=x.${at}.y`);
    const cookie = [...visitor.cookies].map(([name, { value }]) => `${name}=${value}`).join('; ');
    assert.ok(!(answer(cookie) instanceof Promise));
  });
});

test('long addresses do not fill the memory', async () => {
  setFlagsFromString('--expose-gc');
  const collect = runInNewContext('gc') as () => void;
  const { guard } = await testGuard(
    await testPolicy({ walk: { covers: ['/events#walk'] }, members: { covers: ['/members/'] } }),
  );
  const held = () => {
    collect();
    return process.memoryUsage().heapUsed / 2 ** 20;
  };
  const ask = async (count: number) => {
    for (let at = 0; at < count; at++) {
      for (const path of ['/about', '/events', '/feed.xml']) {
        const target = `${path}?${at}${'x'.repeat(15_000)}`;
        const verdict = await guard.answer({
          method: 'GET',
          target,
          headers: {},
          encrypted: false,
        });
        assert.ok(verdict.kind === 'open');
        const body = new TextEncoder().encode(path === '/feed.xml' ? '<urlset></urlset>' : '<p id=walk>x');
        const contentType = path === '/feed.xml' ? 'application/xml' : 'text/html';
        await verdict.page?.filter({ status: 200, contentType, body, etag: '"1"' });
      }
    }
  };
  await ask(200);
  const before = held();
  await ask(4000);
  const grown = held() - before;
  assert.ok(grown < 60, `${grown.toFixed(0)} MB of 180 MB of addresses`);
});
