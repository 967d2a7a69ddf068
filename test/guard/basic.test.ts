import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { bcryptHash } from '../../src/stores/htpasswd-hashes.js';
import { answered, testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const imported = {
  bran: await bcryptHash('wading bird'),
  // As `htpasswd -nbm wren 'small bird'` wrote it.
  wren: '$apr1$oKHxFK9Z$jIAn4MVB2JeICebKnGhOM1',
};
const locks = {
  feed: { covers: ['/feed/'], passwords: { reader: 'owl', other: 'lark' }, basic: true },
  admin: {
    covers: ['/admin/'],
    title: 'Duty "desk" für alle',
    passwords: { halla: 'grouse' },
    imported,
    basic: 'always' as const,
  },
  plain: { covers: ['/plain/'], passwords: { reader: 'owl' } },
  hidden: {
    covers: ['/hidden/'],
    passwords: { reader: 'owl' },
    basic: true,
    outsiders: 'not-found',
  },
};
const policy = await testPolicy(locks);

const basic = (user: string, password: string) => ({
  authorization: `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}`,
});
const fromBrowser = { 'sec-fetch-dest': 'document', 'sec-fetch-mode': 'navigate', accept: '*/*' };

describe('credentials open a lock that takes them', () => {
  // address, user, password → let in, or the status
  const table: [string, string, string, 'let-in' | number][] = [
    ['/feed/a', 'reader', 'owl', 'let-in'],
    ['/feed/a', 'other', 'lark', 'let-in'],
    ['/feed/a', 'reader', 'lark', 401],
    ['/feed/a', 'Reader', 'owl', 401],
    ['/feed/a', 'nobody', 'owl', 401],
    ['/feed/a', 'reader', '', 401],
    ['/admin/x', 'halla', 'grouse', 'let-in'],
    ['/admin/x', 'bran', 'wading bird', 'let-in'],
    ['/admin/x', 'bran', 'grouse', 401],
    ['/admin/x', 'halla', 'wading bird', 401],
    ['/admin/x', 'nobody', 'wading bird', 401],
    ['/admin/x', 'bran', 'Wading bird', 401],
    ['/admin/x', 'wren', 'small bird', 'let-in'],
    ['/admin/x', 'wren', 'wading bird', 401],
    ['/plain/x', 'reader', 'owl', 403],
  ];
  for (const [target, user, password, expected] of table) {
    test(`${user} with ${password || 'nothing'} at ${target}: ${expected}`, async () => {
      const { browser } = await testGuard(policy);
      const verdict = await browser().get(target, basic(user, password));
      assert.equal(verdict.kind === 'answer' ? verdict.status : verdict.kind, expected);
      if (verdict.kind === 'let-in') {
        assert.equal(verdict.headers['vary'], 'Cookie, Authorization');
        assert.equal(verdict.headers['set-cookie'], undefined);
      }
    });
  }
  test('where the lock hides, they open it, and the wrong ones find nothing', async () => {
    const { browser } = await testGuard(policy);
    assert.equal((await browser().get('/hidden/', basic('reader', 'owl'))).kind, 'let-in');
    assert.equal((await browser().get('/hidden/', basic('reader', 'lark'))).kind, 'missing');
    assert.equal((await browser().get('/hidden/')).kind, 'missing');
  });
  test('they may be for two locks at once, one of which requires the other', async () => {
    const both = await testPolicy({
      outer: { covers: ['/outer/'], passwords: { wren: 'nest' }, basic: true },
      inner: { covers: ['/inner/'], passwords: { wren: 'nest' }, basic: true, requires: ['outer'] },
      apart: { covers: ['/apart/'], passwords: { wren: 'nest' }, basic: true, requires: ['inner'] },
    });
    const { browser } = await testGuard(both);
    assert.equal((await browser().get('/apart/', basic('wren', 'nest'))).kind, 'let-in');
  });
});

describe('who is asked with a challenge', () => {
  // who, request headers, address → status and whether there is a challenge
  const table: [string, Record<string, string>, string, number, boolean][] = [
    ['a feed reader', { accept: 'application/rss+xml' }, '/feed/a', 401, true],
    ['a tool', { accept: '*/*' }, '/feed/a', 401, true],
    ['a browser', fromBrowser, '/feed/a', 403, false],
    ['a browser on plain http', { accept: 'text/html,*/*' }, '/feed/a', 403, false],
    ['a picture in a page', { 'sec-fetch-dest': 'image', accept: '*/*' }, '/feed/a', 403, false],
    ['a tool with a fetch', { 'sec-fetch-mode': 'cors', accept: '*/*' }, '/feed/a', 401, true],
    ['a picture on plain http', { accept: 'image/webp,*/*' }, '/feed/a', 403, false],
    ['a script on plain http', { accept: '*/*', referer: 'http://x/' }, '/feed/a', 403, false],
    ['a browser where it is always so', fromBrowser, '/admin/', 401, true],
    ['a tool where it is never so', { accept: '*/*' }, '/plain/', 403, false],
  ];
  for (const [who, headers, target, status, isChallenged] of table) {
    test(`${who} at ${target}`, async () => {
      const { browser } = await testGuard(policy);
      const answer = answered(await browser().get(target, headers));
      assert.equal(answer.status, status);
      assert.equal('www-authenticate' in answer.headers, isChallenged);
      assert.equal(answer.headers['cache-control'], 'no-store');
    });
  }
  test('the realm is the title of the lock, safely quoted and in ASCII', async () => {
    const { browser } = await testGuard(policy);
    const realm = async (target: string) => answered(await browser().get(target)).headers['www-authenticate'];
    assert.equal(await realm('/admin/'), 'Basic realm="Duty \\"desk\\" fur alle", charset="UTF-8"');
    assert.equal(await realm('/feed/'), 'Basic realm="Test site, feed", charset="UTF-8"');
  });
});

describe('credentials are counted and kept apart', () => {
  test('the wrong ones are counted before they are hashed, the right ones never', async () => {
    const strict = {
      ...policy,
      guessing: { ...policy.guessing, perVisitor: { tries: 3, seconds: 60 } },
    };
    let hashed = 0;
    const world = await testGuard(strict, {
      verifier: () => Promise.resolve(false),
      hasher: () => {
        hashed++;
        return Promise.resolve(new Uint8Array(32));
      },
    });
    const guess = async (at: number) =>
      answered(await world.browser().get('/feed/', basic('reader', `guess ${at}`))).status;
    const statuses = await Promise.all(Array.from({ length: 1000 }, (_, at) => guess(at)));
    assert.equal(hashed, 3);
    assert.equal(statuses.filter((status) => status === 401).length, 3);
    assert.equal(statuses.filter((status) => status === 429).length, 997);
  });
  test('right ones are hashed once, not at every request', async () => {
    let hashed = 0;
    const { nativeHasher } = await import('../../src/stores/hasher.js');
    const world = await testGuard(policy, {
      hasher: (...all) => {
        hashed++;
        return nativeHasher(...all);
      },
    });
    const reader = world.browser();
    for (let visit = 0; visit < 20; visit++) {
      assert.equal((await reader.get('/feed/a', basic('reader', 'owl'))).kind, 'let-in');
    }
    assert.equal(hashed, 1);
    // The same at a lock that does not take them, after a change of policy, and after its end.
    assert.equal((await reader.get('/plain/a', basic('reader', 'owl'))).kind, 'answer');
    world.policy = await testPolicy({
      ...locks,
      feed: { ...locks.feed, passwords: { reader: 'new' } },
    });
    assert.equal(answered(await reader.get('/feed/a', basic('reader', 'owl'))).status, 401);
    assert.equal((await reader.get('/feed/a', basic('reader', 'new'))).kind, 'let-in');
  });
  const unreadable = ['Basic', 'Basic !!', 'Basic b3ds', 'Basic OnB3', 'Bearer cmVhZGVyOm93bA==', 'Basic /////w=='];
  for (const authorization of unreadable) {
    test(`\`${authorization}\` is no try`, async () => {
      const { browser, events } = await testGuard(policy);
      assert.equal(answered(await browser().get('/feed/', { authorization })).status, 401);
      assert.deepEqual(
        events.map(({ type }) => type),
        ['asked'],
      );
    });
  }
});

describe('what cannot be meant is refused', () => {
  const cases: [string, object, RegExp][] = [
    ['an imported hash without basic', { imported, basic: false }, /counts for HTTP Basic alone/],
    ['a colon in a user name', { passwords: { 'a:b': 'x' }, basic: true }, /colon/],
    ['always, and hidden', { basic: 'always', outsiders: 'not-found' }, /can do nothing else/],
  ];
  for (const [name, lock, expected] of cases) {
    test(name, () => assert.rejects(testPolicy({ a: { covers: ['/a'], ...lock } }), expected));
  }
});

test('who is a user is not told by what is hashed: each kind once, whoever asks', async () => {
  const hashes = {
    fast: imported.wren,
    slow: await bcryptHash('wading bird'),
    other: imported.wren.replace('oKHxFK9Z', 'aaaaaaaa'),
  };
  const mixed = await testPolicy({
    admin: { covers: ['/admin/'], imported: hashes, basic: 'always', passwords: { halla: 'owl' } },
  });
  const asked: Record<string, string[]> = {};
  for (const user of ['fast', 'slow', 'other', 'halla', 'nobody']) {
    const kinds: string[] = (asked[user] = []);
    const world = await testGuard(mixed, {
      verifier: (_password, hash) => {
        kinds.push(hash.slice(0, 4));
        return Promise.resolve(false);
      },
    });
    assert.equal((await world.browser().get('/admin/', basic(user, 'no'))).kind, 'answer');
  }
  for (const kinds of Object.values(asked)) assert.deepEqual([...kinds].sort(), ['$2y$', '$apr']);
});
