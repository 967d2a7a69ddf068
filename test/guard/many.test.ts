import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { deriveKeys } from '../../src/core/passes/keys.js';
import type { Policy } from '../../src/core/policy/types.js';
import { GuardCaches } from '../../src/guard/caches.js';
import { guardedSite } from '../../src/guard/guarded-site.js';
import type { Verdict, Visit } from '../../src/guard/visit/visit.js';
import { guardFromPorts } from '../../src/stores/file-guard.js';
import { answered, testBrowser, testGuard, testSecret } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const html = 'text/html';
const bytes = (text: string) => new TextEncoder().encode(text);
const hostOf = ({ headers }: Visit) => String(headers['host']);

describe('one guard for many sites', () => {
  const site = (name: string, password: string) =>
    testPolicy(
      { members: { covers: ['/members/'], passwords: { aa: password }, remember: '1 day' } },
      { name, origin: `https://${name}.example` },
    );
  const worldOf = async (policyFor: (visit: Visit) => Policy | undefined | Promise<Policy | undefined>) =>
    testGuard(await site('unused', 'none'), { policyFor });

  test('each host has its own policy, at once or later, and none where none is known', async () => {
    const sites = new Map([
      ['a.example', await site('a', 'owl')],
      ['b.example', await site('b', 'lark')],
    ]);
    for (const isLate of [false, true]) {
      const { guard } = await worldOf((visit) => {
        const found = sites.get(hostOf(visit));
        return isLate ? Promise.resolve(found) : found;
      });
      const at = (host: string) => {
        const browser = testBrowser((visit) => guard.answer({ ...visit, headers: { ...visit.headers, host } }));
        return browser;
      };
      const a = at('a.example');
      assert.equal(answered(await a.unlock('members', 'lark')).status, 403);
      assert.equal(answered(await a.unlock('members', 'owl')).status, 303);
      assert.equal((await a.get('/members/log')).kind, 'let-in');
      const b = at('b.example');
      // What opened a site is nothing at another, whatever its browser sends there.
      for (const [name, value] of a.cookies) b.cookies.set(name, value);
      assert.equal((await b.get('/members/log')).kind, 'answer');
      assert.equal((await a.get('/members/log')).kind, 'let-in');
      const nowhere = await at('c.example').get('/about');
      assert.equal(answered(nowhere).status, 421);
      assert.equal(
        await guard.opened({ method: 'GET', target: '/', headers: { host: 'c.example' }, encrypted: false }, 'members'),
        false,
      );
    }
  });

  test('whoever cannot tell which site is meant lets nobody in', async () => {
    const failing = [
      () => Promise.reject(new Error('away')),
      () => {
        throw new Error('away');
      },
    ];
    for (const policyFor of failing) {
      const { guard, events, browser } = await worldOf(policyFor);
      assert.equal(answered(await browser().get('/about')).status, 500);
      assert.equal(answered(await browser().get('/_dorlin/status')).status, 500);
      assert.equal(await guard.opened({ method: 'GET', target: '/', headers: {}, encrypted: false }, 'members'), false);
      assert.deepEqual(
        events.map(({ type }) => type),
        ['failed', 'failed', 'failed'],
      );
    }
  });
});

describe('many guards with one memory', () => {
  test('what one has verified, another with other keys does not believe', async () => {
    const policy = await testPolicy({
      members: { covers: ['/members/'], passwords: { aa: 'owl' }, remember: '1 day' },
    });
    const caches = new GuardCaches();
    const one = await testGuard(policy, { caches });
    const other = await testGuard(policy, { caches, keys: await deriveKeys(`${testSecret} of another`) });
    const guest = one.browser();
    await guest.unlock('members', 'owl');
    const cookie = [...guest.cookies].map(([name, { value }]) => `${name}=${value}`).join('; ');
    for (let turn = 0; turn < 2; turn++) {
      assert.equal((await one.browser().get('/members/log', { cookie })).kind, 'let-in');
      assert.equal((await other.browser().get('/members/log', { cookie })).kind, 'answer');
    }
  });

  test('what one has read of a page is nothing to another with another policy', async () => {
    const caches = new GuardCaches();
    const page = '<!doctype html><p id=walk>SECRET</p><p>PUBLIC</p>';
    const policies = [
      await testPolicy({ walk: { covers: ['/other#walk'], passwords: { ww: 'owl' } } }),
      await testPolicy({ walk: { covers: ['/events#walk'], passwords: { ww: 'owl' } } }),
    ];
    const shown: boolean[] = [];
    for (const policy of [...policies, ...policies]) {
      const { browser } = await testGuard(policy, { caches });
      const verdict = (await browser().get('/events')) as Extract<Verdict, { kind: 'open' }>;
      const about = { status: 200, contentType: html, etag: '"1"', body: bytes(page) };
      const isPlain = verdict.page?.isPlain('"1"', html) === true;
      const filtered = isPlain ? undefined : await verdict.page?.filter(about);
      const sent = filtered !== undefined && 'body' in filtered ? filtered.body : page;
      shown.push((typeof sent === 'string' ? sent : new TextDecoder().decode(sent)).includes('SECRET'));
    }
    assert.deepEqual(shown, [true, false, true, false]);
  });

  test('a guarded site takes next to nothing until it is asked', async () => {
    const policy = await testPolicy({ members: { covers: ['/members/'], passwords: { aa: 'owl' } } });
    const keys = await deriveKeys(testSecret);
    const kept = Array.from({ length: 1000 }, () => guardedSite(policy, keys));
    assert.equal(new Set(kept.map(({ number }) => number)).size, 1000);
    assert.equal(
      kept.every((site) => site.files === kept[0]?.files),
      true,
      'worked out once',
    );
  });
});

test('a port that is undefined is one that was left out', async () => {
  const policy = await testPolicy({ members: { covers: ['/members/'], passwords: { aa: 'owl' } } });
  const guard = guardFromPorts({
    policies: { policyFor: () => policy, close: () => Promise.resolve() },
    keys: await deriveKeys(testSecret),
    linkUses: { take: () => Promise.resolve(false) },
    ...({ hasher: undefined, clock: undefined, counters: undefined } as object),
  });
  const browser = testBrowser((visit) => guard.answer(visit));
  assert.equal(answered(await browser.unlock('members', 'owl')).status, 303);
  assert.equal((await browser.get('/members/log')).kind, 'let-in');
});

test('where pages have no marks, nothing is done with what cannot have a section', async () => {
  const locks = {
    members: { covers: ['/members/'], passwords: { aa: 'owl' } },
    walk: { covers: ['/events#walk'], passwords: { ww: 'owl' } },
  };
  const { browser } = await testGuard(await testPolicy(locks, { marks: false, sitemaps: ['/map.xml'] }));
  const pageAt = async (target: string) => {
    const verdict = await browser().get(target);
    return verdict.kind === 'open' ? verdict.page : undefined;
  };
  assert.equal(await pageAt('/about'), undefined);
  assert.equal(await pageAt('/feed.xml'), undefined);
  assert.equal((await pageAt('/events.html'))?.isCertain, true);
  assert.equal((await pageAt('/map.xml'))?.isCertain, true);
});
