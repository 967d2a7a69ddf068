import assert from 'node:assert/strict';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, test } from 'node:test';
import { distrusted } from '../../src/core/distrusted-headers.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { makeSnippet } from '../../src/owner/snippet/snippet.js';
import { marksOfFolder } from '../../src/server/marked-pages.js';
import { answered, testGuard } from '../support/guards.js';
import { policyText } from '../support/policies.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

const locks = {
  members: { covers: ['/members/'], passwords: { aa: 'one' }, bypass: ['wardens'] },
  archive: { covers: ['/archive/'], passwords: { reader: 'two' }, basic: true },
  walk: { covers: ['/events#walk'], passwords: { bb: 'three' } },
  trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
  join: { covers: ['/join-only'], passwords: { cc: 'four' }, outsiders: { redirect: '/about' } },
  shop: { covers: ['/shop/'], outsiders: 'closed', until: '2099-01-01' },
};

async function asking(options: Parameters<typeof testGuard>[1] = {}) {
  const text = await policyText(
    locks,
    { trustedProxies: ['127.0.0.1/32'], sitemaps: ['/sitemap.xml'] },
    {
      bypasses: { wardens: { roles: ['warden'] } },
      identity: { header: { from: 'trustedProxies', person: 'X-User', roles: 'X-Roles' } },
    },
  );
  const world = await testGuard(readPolicyOrThrow(text, 'test'), options);
  const ask = async (headers: Record<string, string>, address = '127.0.0.1', target = '/_dorlin/authorize') =>
    answered(
      await world.guard.answer({
        method: 'GET',
        target,
        headers: { host: 'site.example', ...headers },
        encrypted: false,
        address,
      }),
    );
  const statusOf = async (uri: string, more: Record<string, string> = {}) =>
    (await ask({ 'x-original-uri': uri, ...more })).status;
  return { ...world, ask, statusOf };
}

describe('a web server asks before it serves', () => {
  test('204 for what is open and for who is let in, 401, 403 or 404 for all else', async () => {
    const { statusOf } = await asking();
    const basic = { authorization: `Basic ${btoa('reader:two')}` };
    const found: [string, number, Record<string, string>?][] = [
      ['/about', 204],
      ['/members/log', 403],
      ['/MEMBERS//%6cog', 403],
      ['/members/log', 204, { 'x-roles': 'warden' }],
      ['/archive/', 401],
      ['/archive/', 204, basic],
      ['/trustees/', 404],
      ['/trustees/', 403, { 'dorlin-hide': '403' }],
      ['/join-only', 403],
      ['/shop/', 403],
      ['/about/../members/', 403],
      ['http://other.example/about', 403],
      ['', 403],
      ['/_dorlin/authorize', 404],
      ['/_dorlin/status', 404],
      ['/%5fdorlin/leave', 404],
      ['/%5Fdorlin//enter?link=x', 404],
    ];
    for (const [uri, status, headers] of found)
      assert.equal(await statusOf(uri, headers), status, `${uri} ${JSON.stringify(headers ?? {})}`);
  });
  test('asked in the other way, it gives the whole answer', async () => {
    const { ask } = await asking();
    const whole = async (uri: string) => ask({ 'x-forwarded-uri': uri, 'x-forwarded-method': 'GET' });
    const screen = await whole('/members/log');
    assert.equal(screen.status, 403);
    assert.match(screen.body, /name="to" value="\/members\/log"/);
    assert.equal((await whole('/join-only')).status, 302);
    assert.equal((await whole('/shop/')).status, 503);
    assert.equal((await whole('/about')).status, 204);
  });
  test('who is let in goes on by the address that was judged, or not at all', async () => {
    const { ask, statusOf } = await asking();
    const guest = { 'x-roles': 'warden' };
    const spelled = ['/%61bout', 'http://site.example/about', '/caf%c3%a9', '/members/%6cog?a=b'];
    for (const uri of spelled) assert.equal(await statusOf(uri, guest), 403, uri);
    for (const uri of ['/about', '/about?a=%7e', '/caf%C3%A9', '//about', '/members/log'])
      assert.equal(await statusOf(uri, guest), 204, uri);
    const { status, headers } = await ask({ 'x-forwarded-uri': '//evil.example/%61' });
    assert.equal(status, 308);
    assert.equal(
      new URL(String(headers['location']), 'https://site.example').href,
      'https://site.example//evil.example/a',
    );
  });
  test('only who is trusted may ask, of one address, in one spelling of ours', async () => {
    const { ask } = await asking();
    const about = { 'x-original-uri': '/about' };
    assert.equal((await ask(about, '192.0.2.1')).status, 404);
    assert.equal((await ask({})).status, 404);
    assert.equal((await ask({ ...about, 'x-forwarded-uri': '/about' })).status, 404);
    for (const target of [
      '/_dorlin/%61uthorize',
      '/_dorlin//authorize',
      '/_dorlin/authorize/',
      '/_dorlin/authorize?x=1',
      '/_dorlin/Authorize',
    ])
      assert.equal((await ask(about, '127.0.0.1', target)).status, 404, target);
  });
  test('a page of which something may be cut is not let through, nor a listing', async () => {
    const { ask, statusOf } = await asking({
      marksOf: (target) => Promise.resolve(new Set(target.startsWith('/notes') ? ['members'] : [])),
    });
    assert.match((await ask({ 'x-original-uri': '/events' })).body, /Dorlin itself has to serve/);
    assert.equal(await statusOf('/sitemap.xml'), 403);
    assert.equal(await statusOf('/notes'), 403);
    assert.equal(await statusOf('/notes/'), 403);
    assert.equal(await statusOf('/members/log', { 'x-roles': 'warden' }), 204);
  });
  test('who is let in brings along what is to be set on the page', async () => {
    const { ask } = await asking();
    const { headers, body } = await ask({ 'x-original-uri': '/members/log', 'x-roles': 'warden' });
    assert.deepEqual(
      [headers['cache-control'], headers['x-robots-tag'], headers['vary'], headers['dorlin-let-in'], body],
      ['private, no-store', 'noindex', 'Cookie', 'bypass wardens', ''],
    );
  });
  test('the screen is counted once, when it is shown', async () => {
    const { ask, events } = await asking();
    await ask({ 'x-original-uri': '/members/log' });
    assert.deepEqual(events, []);
    await ask({ 'x-forwarded-uri': '/members/log' });
    assert.deepEqual(
      events.map(({ type }) => type),
      ['asked'],
    );
  });
  test('a wrong try that is asked about, and then comes itself, is one; each further one is one more', async () => {
    const { guard, events, ask } = await asking();
    const asBrowser = (password: string) => ({
      accept: 'text/html',
      authorization: `Basic ${btoa(`reader:${password}`)}`,
      'x-forwarded-for': '192.0.2.9',
    });
    const come = async (password: string) => {
      const headers = { host: 'site.example', ...asBrowser(password) };
      const visit = { method: 'GET', target: '/archive/', headers, encrypted: false, address: '127.0.0.1' };
      return answered(await guard.answer(visit)).status;
    };
    const wrong = () => events.filter(({ type }) => type === 'wrong').length;
    const asked = async (password: string) =>
      (await ask({ 'x-original-uri': '/archive/', ...asBrowser(password) })).status;
    for (let count = 1; count <= 3; count++) {
      assert.deepEqual([await asked('owl'), await come('owl'), wrong()], [403, 403, count]);
    }
    // Not asked about before: a try of its own, as is one from elsewhere.
    assert.deepEqual([await come('owl'), wrong()], [403, 4]);
    await asked('owl');
    const elsewhere = { host: 'site.example', ...asBrowser('owl'), 'x-forwarded-for': '192.0.2.10' };
    await guard.answer({
      method: 'GET',
      target: '/archive/',
      headers: elsewhere,
      encrypted: false,
      address: '127.0.0.1',
    });
    assert.equal(wrong(), 6);
    // And what is right is never taken for it.
    assert.equal(await asked('two'), 204);
  });
  test('while two policies count, both must let in', async () => {
    const policy = async (covers: string[]) =>
      readPolicyOrThrow(
        await policyText({ members: { covers, passwords: { aa: 'one' } } }, { trustedProxies: ['127.0.0.1/32'] }),
        'test',
      );
    const [before, after] = [await policy(['/a/']), await policy(['/b/'])];
    const { guard } = await testGuard(after, { former: (one) => (one === after ? before : undefined) });
    const status = async (uri: string) =>
      answered(
        await guard.answer({
          method: 'GET',
          target: '/_dorlin/authorize',
          headers: { host: 'x', 'x-original-uri': uri },
          encrypted: false,
          address: '127.0.0.1',
        }),
      ).status;
    assert.deepEqual([await status('/a/x'), await status('/b/x'), await status('/c/x')], [403, 403, 204]);
  });
  test('which pages of a folder are marked is found in them, in every file that they may be', async () => {
    const { folder, remove } = await temporaryFolder();
    await writeFiles(folder, {
      'notes.html': '<p data-dorlin-lock="members">x</p>',
      'about.html': '<p>x</p>',
      'old/index.html': '<P DATA-DORLIN-LOCK=members>x</P>',
      'both/index.html': '<p>x</p>',
      'both.html': '<p data-dorlin-lock="members">x</p>',
      'Talks/Été.html': '<p data-dorlin-lock="press">x</p>',
    });
    const marksOf = marksOfFolder(folder, () => ({
      indexFiles: ['index.html'],
      extensions: ['.html'],
      caseSensitive: false,
    }));
    const isMarked = async (target: string) => (await marksOf(target)).size > 0;
    const found: Record<string, boolean> = {};
    for (const target of [
      '/notes',
      '/notes.html',
      '/n%6ftes?x',
      '/about',
      '/old/',
      '/old',
      '/both',
      '/both/',
      '/talks/%C3%A9t%C3%A9',
      '/nowhere',
      '/%zz',
    ])
      found[target] = await isMarked(target);
    assert.deepEqual(found, {
      '/notes': true,
      '/notes.html': true,
      '/n%6ftes?x': true,
      '/about': false,
      '/old/': true,
      '/old': true,
      '/both': true,
      '/both/': true,
      '/talks/%C3%A9t%C3%A9': true,
      '/nowhere': false,
      '/%zz': true,
    });
    await writeFiles(folder, { 'about.html': '<p data-dorlin-lock="members">later</p>' });
    assert.equal(await isMarked('/about'), true);
    await remove();
  });
});

describe('the configuration that is printed', () => {
  test('is refused where the web server would hand the policy out, and for servers that it does not know', async () => {
    const folder = await mkdtemp(join(tmpdir(), 'dorlin-test-'));
    await writeFiles(folder, { 'dorlin.yaml': await policyText({}), 'index.html': 'x' });
    const policy = join(folder, 'dorlin.yaml');
    const authorizer = '127.0.0.1:4281';
    await assert.rejects(makeSnippet(policy, 'nginx', { folder, authorizer }), { code: 'folder-unsafe' });
    for (const wrong of [
      { to: 'http://127.0.0.1:3000/app' },
      { to: 'http://127.0.0.1:3000; root /;' },
      { to: 'http://127.0.0.1:3000', names: ['a.example; root /'] },
      { to: 'http://127.0.0.1:3000', authorizer: '127.0.0.1' },
    ])
      await assert.rejects(makeSnippet(policy, 'nginx', { authorizer, ...wrong }), { code: 'call-wrong' });
    // With a slash behind it, nginx would hand on another address than was judged.
    const { text } = await makeSnippet(policy, 'nginx', { authorizer, to: 'http://127.0.0.1:3000/' });
    assert.match(text, /proxy_pass http:\/\/127\.0\.0\.1:3000;/);
    await assert.rejects(makeSnippet(policy, 'apache', { folder, authorizer }), { code: 'call-wrong' });
    await rm(folder, { recursive: true });
  });
  test('takes away what visitors say of who they are, and leaves what is missing to Dorlin', async () => {
    const { folder, remove } = await temporaryFolder();
    const write = async (more: object) =>
      writeFiles(folder, {
        'site/404.html': 'none',
        'dorlin.yaml': await policyText(
          { ...locks, ...more },
          {},
          {
            bypasses: { wardens: { roles: ['warden'] } },
            identity: { header: { from: 'trustedProxies', person: 'X-User', roles: 'X-Roles' } },
          },
        ),
      });
    await write({});
    const make = () =>
      makeSnippet(join(folder, 'dorlin.yaml'), 'nginx', { folder: join(folder, 'site'), authorizer: 'a:1' });
    const { text, warnings } = await make();
    for (const name of ['X-User', 'X-Roles', ...distrusted].filter((one) => !/^X-Forwarded-(?:For|Proto)$/.test(one)))
      assert.ok(text.includes(`proxy_set_header ${name} "";`), name);
    assert.match(text, /error_page 404 = @dorlin;/);
    assert.match(warnings.join('\n'), /trustedProxies=127\.0\.0\.1\/32/);
    await remove();
  });
});
