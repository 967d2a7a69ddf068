import assert from 'node:assert/strict';
import { after, before, describe, test } from 'node:test';
import type { Visit } from '../../src/guard/visit/visit.js';
import { answered, testGuard } from '../support/guards.js';
import { policyText, testPolicy } from '../support/policies.js';
import { rawClient } from '../support/raw-http.js';
import { runSite } from '../support/sites.js';

const locks = {
  trustees: { covers: ['/trustees/'], bypass: ['trustee'], outsiders: 'not-found' },
  shop: { covers: ['/shop/'], passwords: { ss: 'open' }, outsiders: 'closed' },
  club: {
    covers: ['/club/'],
    passwords: { cc: 'word' },
    outsiders: { redirect: '/join?from=club' },
  },
};
const rest = {
  bypasses: { trustee: { roles: ['trustee'] } },
  identity: { header: { from: 'trustedProxies', person: 'X-User', roles: 'X-Roles' } },
};
const site = { trustedProxies: ['198.51.100.1', '127.0.0.1'] };
const policy = await testPolicy(locks, site, rest);

describe('outsiders get what the lock says', () => {
  test('closed: 503 and no form; redirect: 302; not found: as if nothing were there', async () => {
    const { browser } = await testGuard(policy);
    const closed = answered(await browser().get('/shop/x'));
    assert.equal(closed.status, 503);
    assert.doesNotMatch(closed.body, /<form/);
    const sent = answered(await browser().get('/club/x'));
    assert.equal(sent.status, 302);
    assert.equal(sent.headers['location'], '/join?from=club');
    assert.equal(sent.headers['cache-control'], 'no-store');
    assert.equal((await browser().get('/trustees/x')).kind, 'missing');
  });
  test('a password still opens what is closed or redirects, for who has a form for it', async () => {
    const { browser } = await testGuard(policy);
    const visitor = browser();
    assert.equal(answered(await visitor.unlock('shop', 'wrong', '/shop/')).status, 403);
    await visitor.unlock('shop', 'open', '/shop/');
    assert.equal((await visitor.get('/shop/x')).kind, 'let-in');
  });
  test('a hidden lock without a password answers a form as one that does not exist', async () => {
    const { browser } = await testGuard(policy);
    const hidden = answered(await browser().unlock('trustees', 'x', '/trustees/'));
    const none = answered(await browser().unlock('nothing', 'x', '/nothing/'));
    assert.deepEqual(
      { ...hidden, headers: { ...hidden.headers, location: '' } },
      { ...none, headers: { ...none.headers, location: '' } },
    );
  });
});

describe('who somebody is comes from the application, or from a trusted proxy', () => {
  const roles = { 'x-user': 'halla', 'x-roles': 'reader, trustee' };
  test('a header of a trusted proxy counts, the same from anybody else does not', async () => {
    const { browser } = await testGuard(policy);
    const trusted = await browser().send({
      target: '/trustees/',
      address: '198.51.100.1',
      headers: roles,
    });
    assert.ok(trusted.kind === 'let-in');
    assert.equal(trusted.headers['dorlin-let-in'], 'bypass trustee');
    for (const stranger of [
      { target: '/trustees/', address: '203.0.113.9', headers: roles },
      { target: '/trustees/', headers: { ...roles, 'x-forwarded-for': '198.51.100.1' } },
    ]) {
      assert.equal((await browser().send(stranger)).kind, 'missing');
    }
  });
  test('what the application says comes first; if it fails, the visitor is nobody', async () => {
    let asked = 0;
    const identify = (visit: Visit) => {
      asked++;
      const session = visit.headers['x-session'];
      if (session === 'late') return Promise.resolve({ person: 'halla', roles: ['trustee'] });
      if (session === 'broken') throw new Error('the sessions are gone');
      if (session === 'late broken') return Promise.reject(new Error('the sessions are gone'));
      return session === 'halla' ? { roles: ['trustee'] } : undefined;
    };
    const { browser, events } = await testGuard(policy, { identify });
    const kind = async (session: string, more: Partial<Visit> = {}) =>
      (
        await browser().send({
          target: '/trustees/',
          ...more,
          headers: { 'x-session': session, ...more.headers },
        })
      ).kind;
    assert.equal(await kind('halla'), 'let-in');
    assert.equal(await kind('late'), 'let-in');
    assert.equal(await kind('nobody'), 'missing');
    assert.equal(await kind('broken'), 'missing');
    assert.equal(await kind('late broken'), 'missing');
    assert.equal(
      await kind('broken', { address: '198.51.100.1', headers: roles }),
      'missing',
      'no second try elsewhere',
    );
    assert.equal(await kind('nobody', { address: '198.51.100.1', headers: roles }), 'let-in');
    assert.equal(events.filter(({ type }) => type === 'failed').length, 3);
    const before_ = asked;
    await browser().get('/open');
    assert.equal(asked, before_, 'open pages ask nobody');
    const status = answered(await browser().get('/_dorlin/status', { 'x-session': 'halla' }));
    assert.equal(status.body, '{"open":["trustees"]}\n');
  });
});

describe('not found is the site’s own answer, to the byte', () => {
  let running: Awaited<ReturnType<typeof runSite>>;
  before(async () => {
    const files = {
      'index.html': 'start',
      '404.html': '<h1>Nothing here</h1>',
      'trustees/accounts.html': 'secret',
      'trustees/index.html': 'secret',
    };
    running = await runSite(files, await policyText(locks, site, rest));
  });
  after(() => running.close());
  test('for every method, range and condition', async () => {
    const client = rawClient(running.port);
    const without = (head: string) => head.replace(/^date: .*$/im, '');
    for (const method of ['GET', 'HEAD', 'POST', 'OPTIONS']) {
      for (const headers of [
        {},
        { range: 'bytes=0-3' },
        { 'if-none-match': '*' },
        { 'if-modified-since': new Date().toUTCString() },
      ] as Record<string, string>[]) {
        const hidden = await client.request('/trustees/accounts', method, headers);
        const none = await client.request('/nowhere/accounts', method, headers);
        assert.equal(hidden.status, 404);
        assert.deepEqual({ ...hidden, head: without(hidden.head) }, { ...none, head: without(none.head) }, method);
      }
    }
    const inside = await client.request('/trustees/accounts', 'GET', { 'x-roles': 'trustee' });
    assert.equal(inside.body, 'secret');
    assert.match(inside.head, /^dorlin-let-in: bypass trustee$/im);
    client.close();
  });
});

describe('a hidden lock is no more told of at Dorlin’s own addresses than one that is not there', () => {
  const told = async (name: string, json: boolean) => {
    const world = await testGuard(
      await testPolicy({
        hidden: { covers: ['/hidden/'], outsiders: 'not-found', title: 'Trustees’ papers' },
        keyed: { covers: ['/keyed/'], outsiders: 'not-found', passwords: { aa: 'one' } },
        open: { covers: ['/open/'], passwords: { aa: 'one' } },
      }),
    );
    const headers = json ? { accept: 'application/json' } : {};
    const answers = [];
    for (const [path, fields] of [
      ['/_dorlin/unlock', { lock: name, password: 'guess' }],
      ['/_dorlin/unlock', { lock: name, password: '' }],
      ['/_dorlin/unlock', { lock: name, password: 'guess', to: `/${name}/` }],
      ['/_dorlin/request', { lock: name, address: 'a@site.example', consent: 'on' }],
      ['/_dorlin/request', { lock: name, address: 'a@site.example', to: `/${name}/x` }],
    ] as [string, Record<string, string>][]) {
      const { status, headers: sent, body } = answered(await world.browser().post(path, fields, headers));
      answers.push({ status, location: sent['location'], body: body.replaceAll(name, 'NAME') });
    }
    for (let times = 0; times < 12; times++) {
      await world.browser().post('/_dorlin/unlock', { lock: name, password: `no ${times}` });
    }
    const { status } = answered(await world.browser().post('/_dorlin/unlock', { lock: name, password: 'x' }, headers));
    return JSON.stringify([answers, status]).replaceAll(name, 'NAME');
  };
  for (const json of [false, true]) {
    test(json ? 'asked by a script' : 'asked by a form', async () => {
      const none = await told('nothing', json);
      assert.equal(await told('hidden', json), none);
      assert.equal(await told('keyed', json), none);
      assert.notEqual(await told('open', json), none);
    });
  }
  test('its password opens it all the same', async () => {
    const world = await testGuard(
      await testPolicy({
        keyed: { covers: ['/keyed/'], outsiders: 'not-found', passwords: { aa: 'one' } },
      }),
    );
    const browser = world.browser();
    assert.equal(answered(await browser.unlock('keyed', 'one', '/keyed/')).headers['location'], '/keyed/');
    assert.equal((await browser.get('/keyed/')).kind, 'let-in');
  });
});
