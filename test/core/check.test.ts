import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { checkPolicy } from '../../src/core/check/policy-checks.js';
import { checkSite } from '../../src/core/check/site-checks.js';
import { findingTable, type FindingCode } from '../../src/core/check/table.js';
import { testPolicy, type TestLock } from '../support/policies.js';

const now = Date.UTC(2026, 10, 23, 12) / 1000;
const link = { id: 'abcdefghij', label: 'L', until: '2027-01-01' };
const lock = (more: Partial<TestLock> = {}): TestLock => ({
  covers: ['/shut/'],
  passwords: { PP: 'x' },
  ...more,
});

type Case = readonly [what: string, code: FindingCode | undefined, ...TestLock[]];

describe('what the policy alone gives away', () => {
  const table: Case[] = [
    ['a plain lock', undefined, lock()],
    ['a lock that is off', 'lock-off', lock({ enabled: false })],
    ['a lock that has ended', 'lock-ended', lock({ until: '2026-11-23' })],
    ['one that ends later, or has not begun', undefined, lock({ until: '2026-12-24' }), lock({ from: '2027-01-01' })],
    ['nothing opens it', 'lock-nobody', lock({ passwords: {} })],
    ['nothing opens it, as is said', undefined, lock({ passwords: {}, outsiders: 'closed' })],
    [
      'a link or a bypass opens it',
      undefined,
      lock({ passwords: {}, links: [link] }),
      lock({ passwords: {}, bypass: ['staff'] }),
    ],
    ['only a link that has ended', 'lock-nobody', lock({ passwords: {}, links: [{ ...link, until: '2026-01-01' }] })],
    ['staff are asked for before all', 'screen-invites', lock({ covers: ['/'], passwords: { 'The dome team': 'x' } })],
    ['the same by its title', 'screen-invites', lock({ covers: ['/'], title: 'Für Mitarbeitende' })],
    ['staff, but before a folder', undefined, lock({ passwords: { 'The dome team': 'x' } })],
    [
      'staff, and the screen says that it is closed',
      undefined,
      lock({ covers: ['/'], passwords: { staff: 'x' }, outsiders: 'closed' }),
    ],
    ['the steam train', undefined, lock({ covers: ['/'], passwords: { 'The steam train': 'x' } })],
  ];
  for (const [what, code, ...locks] of table) {
    test(what, async () => {
      for (const one of locks) {
        const policy = await testPolicy({ one }, {}, { bypasses: { staff: { addresses: ['203.0.113.7'] } } });
        const found = checkPolicy(policy, new Map(), now).map((finding) => finding.code);
        assert.deepEqual(found, code === undefined ? [] : [code]);
      }
    });
  }

  // when each password ends, and whether that is about to leave nobody in
  const endings: [string, (string | undefined)[], string | undefined, boolean][] = [
    ['in a week', ['2026-11-30'], undefined, true],
    ['in a month', ['2026-12-24'], undefined, false],
    ['in a week, and another goes on', ['2026-11-30', undefined], undefined, false],
    ['all in a week', ['2026-11-30', '2026-11-29'], undefined, true],
    ['one before, one in a week', ['2026-11-01', '2026-11-30'], undefined, true],
    ['in a week, with the lock', ['2026-11-30'], '2026-11-30', false],
  ];
  for (const [what, untils, until, isFound] of endings) {
    test(`passwords that end ${what}`, async () => {
      const text = await testPolicy({
        one: lock({
          ...(until ? { until } : {}),
          passwords: Object.fromEntries(untils.map((_, at) => [`p${at}`, `x${at}`])),
        }),
      });
      const one = text.locks.get('one');
      assert.ok(one);
      const passwords = one.passwords.map((password, at) => ({
        ...password,
        window: { until: untils[at] === undefined ? undefined : Date.parse(`${untils[at]}T00:00Z`) / 1000 },
      }));
      const openers = new Map(passwords.map((password) => [password.id, password]));
      const policy = { ...text, locks: new Map([['one', { ...one, passwords, openers }]]) };
      const found = checkPolicy(policy, new Map(), now).map(({ code }) => code);
      assert.deepEqual(found, isFound ? ['password-ending'] : []);
    });
  }

  test('a password that can be guessed, if it can be looked up', async () => {
    const policy = await testPolicy({ one: lock() });
    const judge = (verdict: 'guessable' | 'fair') => {
      const strength = { verdict, guessesLog10: 3, words: 'Words.' };
      return checkPolicy(policy, new Map([['one', new Map([['pp', strength]])]]), now);
    };
    assert.deepEqual(
      judge('guessable').map(({ code }) => code),
      ['password-guessable'],
    );
    assert.deepEqual(judge('fair'), []);
  });

  // addresses, trusted proxies, more conditions → the finding
  const bypasses: [string[], string[], object, FindingCode | undefined][] = [
    [['0.0.0.0/0'], [], {}, 'bypass-everybody'],
    [['128.0.0.0/1', '0.0.0.0/1'], [], {}, 'bypass-everybody'],
    [['::/0'], [], {}, 'bypass-everybody'],
    [['2001::/16'], [], {}, undefined],
    [['0.0.0.0/0'], [], { roles: ['editor'] }, 'bypass-idle'],
    [['0.0.0.0/0'], [], { until: '2026-01-01' }, undefined],
    [['203.0.113.0/24'], [], {}, undefined],
    [['127.0.0.1'], [], {}, 'bypass-behind-proxy'],
    [['192.168.0.0/16'], [], {}, 'bypass-behind-proxy'],
    [['fd00::/8'], ['::1'], {}, 'bypass-everybody'],
    [['192.168.0.0/16'], ['127.0.0.1'], {}, undefined],
  ];
  for (const [addresses, trustedProxies, more, code] of bypasses) {
    test(`a bypass for ${addresses.join(' and ')} ${JSON.stringify(more)}`, async () => {
      const policy = await testPolicy(
        { one: lock({ bypass: ['b'] }) },
        { trustedProxies },
        { bypasses: { b: { addresses, ...more } } },
      );
      const found = checkPolicy(policy, new Map(), now).map((finding) => finding.code);
      assert.deepEqual(found, code === undefined ? [] : [code]);
    });
  }
});

describe('what the files of the site give away', () => {
  const secret = 'the key to the hut lies beneath the ninth stone by the gate';
  const files = (given: Readonly<Record<string, string | undefined>>) =>
    Object.entries(given).map(([path, text]) => ({ path, target: path, text }));
  const shut = { '/shut/a.html': `<p>${secret}</p><img src="a.png"><a href="/plan.pdf">` };
  // what, the files beside a locked page, what is found and about what
  const table: [string, Record<string, string | undefined>, FindingCode | undefined, string?][] = [
    ['nothing', {}, undefined],
    ['a document that only a locked page leads to', { '/plan.pdf': undefined }, 'file-beside-open', '/plan.pdf'],
    ['one that an open page leads to as well', { '/plan.pdf': undefined, '/b.html': '<a href="plan.pdf">' }, undefined],
    ['one beneath the lock', { '/shut/a.png': undefined }, undefined],
    [
      'its style and script',
      {
        '/shut/a.html': '<link rel=stylesheet href=/s.css><script src=/s.js></script>',
        '/s.css': undefined,
        '/s.js': '',
      },
      undefined,
    ],
    [
      'a picture in several sizes',
      { '/shut/a.html': '<img srcset="/s.png 1x, /l.png 2x">', '/l.png': undefined },
      'file-beside-open',
      '/l.png',
    ],
    [
      'a search index with its words',
      { '/search.json': JSON.stringify([{ text: `So ${secret}!` }]) },
      'index-holds-locked',
      '/search.json',
    ],
    [
      'one with marks and numbers for letters',
      { '/i.js': `x="${secret.replace('key', '<b>\\u006b\\u0065y</b>')}"` },
      'index-holds-locked',
      '/i.js',
    ],
    ['one that says what an open page says too', { '/search.json': secret, '/b.html': `<p>${secret}` }, undefined],
    [
      'words of a section of an open page, marked or named',
      {
        '/b.html': `<p>Open</p><div data-dorlin-lock="one">Behind the mark: meet us at seven by the old mill door tonight</div>`,
        '/s.json': 'behind the mark: meet us at seven by the old mill door',
      },
      'index-holds-locked',
      '/s.json',
    ],
    [
      'data of a page with a marked section, which is locked with it',
      {
        '/b.html':
          '<p>Open</p><div data-dorlin-lock="one">Behind the mark: meet us at seven by the old mill door</div>',
        '/b/__data.json': 'behind the mark: meet us at seven by the old mill door',
      },
      undefined,
    ],
    [
      'a picture that only a section shows',
      { '/b.html': '<p>Open</p><div data-dorlin-lock="one"><img src="/map.png"></div>', '/map.png': undefined },
      'file-beside-open',
      '/map.png',
    ],
    ['one of a locked folder', { '/shut/search.json': secret }, undefined],
    ['one with a few words of it', { '/search.json': 'the key to the hut' }, undefined],
    [
      'a feed, which is filtered',
      {
        '/feed.xml': `<rss><channel><item><link>/shut/a.html</link><description>${secret}</description></item></channel></rss>`,
      },
      undefined,
    ],
    ['a feed that is broken', { '/feed.xml': '<rss><channel></rss>' }, 'listing-broken', '/feed.xml'],
    ['a sitemap of which the policy says so', { '/map.txt': 'about\n' }, 'listing-broken', '/map.txt'],
    ['data that is no feed', { '/data.xml': '<a><b></a>' }, undefined],
    [
      'robots.txt with it',
      { '/robots.txt': 'User-agent: *\nDisallow: /shut/\nDisallow: /b' },
      'robots-names-locked',
      '/robots.txt',
    ],
    ['robots.txt without it', { '/robots.txt': 'User-agent: *\nDisallow: /\nDisallow: /b' }, undefined],
    ['a menu with it', { '/b.html': '<nav><a href="/shut/">In</a></nav>' }, 'menu-shows-locked', 'one'],
    [
      'a menu that goes by the lock',
      { '/b.html': '<nav><p data-dorlin-if=one><a href="/shut/">In</a></nav>' },
      undefined,
    ],
    ['a link in a text', { '/b.html': '<p><a href="/shut/">In</a>' }, undefined],
    ['a page without its section', { '/e.html': '<p id=walks>' }, 'section-missing', '/e.html'],
    ['a page with its section', { '/e.html': '<p id=walk>' }, undefined],
    ['a section in a clean page', { '/e.html': '<div id=walk><p>a<ul><li>b</ul></div><p>c' }, undefined],
    [
      'one that a list ends before its end tag',
      { '/e.html': '<p id=walk>a<ul><li>b</ul></p>' },
      'section-ends-early',
      '/e.html',
    ],
    [
      'a mark that a table ends before its end tag',
      { '/b.html': '<!doctype html><div><p data-dorlin-lock=walk>a<table><td>b</table></p></div>' },
      'section-ends-early',
      '/b.html',
    ],
    [
      'end tags that are left out',
      { '/b.html': '<ul><li data-dorlin-lock=walk>a<li>b</ul><p data-dorlin-lock=walk>a<p>b<div>c</div>' },
      undefined,
    ],
    [
      'text straight in a table',
      { '/b.html': '<table data-dorlin-lock=walk>a<tr><td>b</table>' },
      'page-uncut',
      '/b.html',
    ],
    ['a marked row outside of a table', { '/b.html': '<p>a<tr data-dorlin-lock=walk><td>b' }, 'page-uncut', '/b.html'],
    ['an element under a lock that is none', { '/b.html': '<p data-dorlin-lock="ones">' }, 'name-unknown', 'ones'],
    [
      'a menu that goes by a lock that is none',
      { '/b.html': '<p data-dorlin-unless="one two">' },
      'name-unknown',
      'two',
    ],
    ['a file at the guard’s addresses', { '/_dorlin/page.js': '' }, 'prefix-shadowed', '/_dorlin/page.js'],
  ];
  for (const [what, more, code, about] of table) {
    test(what, async () => {
      const policy = await testPolicy({ one: lock(), walk: lock({ covers: ['/e#walk'] }) }, { sitemaps: ['/map.txt'] });
      // The section's own lock covers no file, unless there is one.
      const given = { '/e.html': '<p id=walk>', ...shut, ...more };
      const found = checkSite(policy, files(given), now);
      assert.deepEqual(
        found.map((finding) => [finding.code, finding.about]),
        code === undefined ? [] : [[code, about]],
      );
    });
  }
  test('a lock over what is not there', async () => {
    const policy = await testPolicy({ one: lock(), two: lock({ covers: ['/shutt/', '/x#y'] }) });
    const found = checkSite(policy, files(shut), now);
    assert.deepEqual(
      found.map(({ code, about }) => [code, about]),
      [['lock-covers-nothing', 'two']],
    );
  });
  test('a place under which there is nothing, beside others', async () => {
    const policy = await testPolicy({ one: lock({ covers: ['/shut/', '/shutt/', '/**/*.pdf', '/shut/a#x'] }) });
    const found = checkSite(policy, files({ '/shut/a.html': '<p id=x>' }), now);
    assert.deepEqual(
      found.map(({ code, about }) => [code, about]),
      [
        ['place-covers-nothing', '/shutt/'],
        ['place-covers-nothing', '/**/*.pdf'],
      ],
    );
  });
  test('a mark, where marks are not looked for', async () => {
    const policy = await testPolicy({ one: lock() }, { marks: false });
    const found = checkSite(policy, files({ '/b.html': '<p data-dorlin-lock=one>', '/shut/a.html': '' }), now);
    assert.deepEqual(
      found.map(({ code, about }) => [code, about]),
      [['mark-unread', '/b.html']],
    );
  });
  test('a menu of a site that is locked as a whole', async () => {
    const policy = await testPolicy({ all: lock({ covers: ['/'], except: ['/index.html'] }) });
    const found = checkSite(policy, files({ '/index.html': '<nav><a href=/about>', '/about.html': '' }), now);
    assert.deepEqual(found, []);
  });
});

test('every finding says why and how to mend it', () => {
  for (const { title, why, mend } of Object.values(findingTable)) {
    assert.match(title, /^[A-Z].*[^.]$/u);
    assert.match(why, /\.$/);
    assert.match(mend, /\.$/);
  }
});
