import assert from 'node:assert/strict';
import { writeFile } from 'node:fs/promises';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import express from 'express';
import { guardFromFile, guardMiddleware } from '../../src/node.js';
import { startSite } from '../../src/server/site-server.js';
import { policyText } from '../support/policies.js';
import { rawClient } from '../support/raw-http.js';
import { runSite, temporaryFolder, until, writeFiles } from '../support/sites.js';

const files = {
  'index.html': 'start',
  'about.html': 'about us',
  'press/index.html': 'press room',
  'members/index.html': 'members home',
  'members/log.html': 'the log',
  'members/film.bin': 'x'.repeat(10_000),
  '404.html': 'our own 404',
  'dorlin.yaml': 'must not be served',
  '.env': 'must not be served',
  '.well-known/security.txt': 'Contact: us',
};
const policy = await policyText({
  members: { covers: ['/members/'], passwords: { aa: 'one' }, remember: '1 day' },
});

/** Unlocks and gives back the cookies. */
async function unlocked(url: string, to = '/members/'): Promise<string> {
  const answer = await fetch(`${url}/_dorlin/unlock`, {
    method: 'POST',
    body: new URLSearchParams({ lock: 'members', password: 'one', to }),
    redirect: 'manual',
  });
  assert.equal(answer.status, 303);
  return answer.headers
    .getSetCookie()
    .map((line) => line.split(';')[0])
    .join('; ');
}

describe('a folder behind the guard', () => {
  let site: Awaited<ReturnType<typeof runSite>>;
  before(async () => {
    site = await runSite(files, policy);
  });
  after(() => site.close());

  const cases: [string, number, string][] = [
    ['/', 200, 'start'],
    ['/about', 200, 'about us'],
    ['/about.html', 200, 'about us'],
    ['/press/', 200, 'press room'],
    ['/nothing', 404, 'our own 404'],
    ['/dorlin.yaml', 404, 'our own 404'],
    ['/.env', 404, 'our own 404'],
    ['/.well-known/security.txt', 200, 'Contact: us'],
    ['/press', 301, ''],
    ['/about/', 301, ''],
  ];
  for (const [path, status, body] of cases) {
    test(`${path}: ${status}`, async () => {
      const answer = await fetch(site.url + path, { redirect: 'manual' });
      assert.equal(answer.status, status);
      assert.equal(await answer.text(), body);
    });
  }
  test('a folder is asked for with its slash, and a page without', async () => {
    const to = async (path: string) => (await fetch(site.url + path, { redirect: 'manual' })).headers.get('location');
    assert.equal(await to('/press?x=1'), '/press/?x=1');
    assert.equal(await to('/about/'), '/about');
    assert.equal(await to('/press/index.html'), null);
  });
  test('nothing of a locked file shows: no tag, length, type, range or 304', async () => {
    const cookie = await unlocked(site.url);
    const open = await fetch(`${site.url}/members/film.bin`, { headers: { cookie } });
    const tag = open.headers.get('etag') ?? '';
    assert.ok(tag.length > 0);
    const client = rawClient(site.port);
    const plain = await client.request('/members/nothing');
    for (const method of ['GET', 'HEAD']) {
      for (const headers of [
        {},
        { 'if-none-match': tag },
        { range: 'bytes=0-9' },
        { 'if-modified-since': new Date(Date.now() + 1e6).toUTCString() },
        { 'if-range': tag, range: 'bytes=0-1' },
      ] as Record<string, string>[]) {
        const answer = await client.request('/members/film.bin', method, headers);
        assert.equal(answer.status, 403);
        assert.doesNotMatch(
          answer.head,
          /etag|last-modified|accept-ranges|content-range|octet-stream|content-length: 10000/i,
        );
        // But for the address in it, it is the answer for what is not there.
        const shape = (head: string) => head.replace(/^(content-length|date): .*$/gim, '');
        assert.equal(shape(answer.head), shape(plain.head));
        if (method === 'HEAD') assert.equal(answer.body, '');
      }
    }
    client.close();
  });
  test('let in: the page, never to be stored, whatever the server below says; ranges work', async () => {
    const cookie = await unlocked(site.url, '/members/log');
    const answer = await fetch(`${site.url}/members/log`, { headers: { cookie } });
    assert.equal(await answer.text(), 'the log');
    assert.equal(answer.headers.get('cache-control'), 'private, no-store');
    assert.equal(answer.headers.get('x-robots-tag'), 'noindex');
    assert.equal(answer.headers.get('vary'), 'Cookie');
    const range = await fetch(`${site.url}/members/film.bin`, {
      headers: { cookie, range: 'bytes=0-9' },
    });
    assert.equal(range.status, 206);
    assert.equal((await range.text()).length, 10);
    const open = await fetch(`${site.url}/about`);
    assert.equal(open.headers.get('x-robots-tag'), null);
  });
  test('a form that is too long lets nobody in', async () => {
    const body = new URLSearchParams({ lock: 'members', password: 'one', pad: 'x'.repeat(20_000) });
    const answer = await fetch(`${site.url}/_dorlin/unlock`, { method: 'POST', body });
    assert.equal(answer.status, 413);
    assert.equal(answer.headers.getSetCookie().length, 0);
  });
  test('a locked 404 page is not shown to those it is locked for', async () => {
    const shut = await runSite(files, await policyText({ all: { covers: ['/'], except: ['/open/'] } }));
    try {
      const answer = await fetch(`${shut.url}/open/nothing`);
      assert.equal(answer.status, 404);
      assert.equal(await answer.text(), 'Not found\n');
    } finally {
      await shut.close();
    }
  });
  test('files that come later are served, and locked where they lie', async () => {
    await writeFiles(site.folder, { 'site/late.html': 'late', 'site/members/late.html': 'late' });
    await until(async () => (await fetch(`${site.url}/late`)).status === 200);
    assert.equal((await fetch(`${site.url}/members/late`)).status, 403);
  });
});

test('the policy is followed; a broken one leaves the last good one in force', async () => {
  const told: string[] = [];
  const site = await runSite(files, policy, {
    onChange: () => told.push('changed'),
    onBroken: (problems) => told.push(problems),
  });
  const statusOf = async (path: string) => (await fetch(site.url + path)).status;
  try {
    assert.equal(await statusOf('/about'), 200);
    await writeFile(site.policyFile, policy.replace('"/members/"', '"/members/", "/about"'));
    await until(async () => (await statusOf('/about')) === 403);
    await writeFile(site.policyFile, 'dorlin: 1\nsite: { name: x }\nlocks: { a: { cover: [] } }\n');
    await until(() => told.length >= 2);
    assert.match(told[1] ?? '', /^dorlin\.yaml:3:15 {2}locks\.a\.cover: .*did you mean `covers`/m);
    assert.equal(await statusOf('/about'), 403);
    await writeFile(site.policyFile, '');
    await until(() => told.length >= 3);
    assert.equal(await statusOf('/members/'), 403);
    await writeFile(site.policyFile, policy);
    await until(async () => (await statusOf('/about')) === 200);
  } finally {
    await site.close();
  }
});

describe('in an Express application', () => {
  let server: Server;
  let url: string;
  let close: () => Promise<void>;
  before(async () => {
    const { folder, remove } = await temporaryFolder();
    await writeFiles(folder, { 'dorlin.yaml': policy });
    const guard = await guardFromFile(join(folder, 'dorlin.yaml'));
    const app = express();
    app.use(express.urlencoded());
    app.use((request, _response, next) => {
      if (request.url === '/rewritten') request.url = '/members/log';
      next();
    });
    app.use(guardMiddleware(guard));
    app.get('/members/log', (_request, response) => {
      response.set('Vary', 'Accept').set('Cache-Control', 'public, max-age=600').send('the log');
    });
    app.get('/about', (_request, response) => {
      response.send('about');
    });
    server = app.listen(0);
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    close = async () => {
      server.closeAllConnections();
      server.close();
      await guard.close();
      await remove();
    };
  });
  after(() => close());

  test('open pages pass, locked ones ask', async () => {
    assert.equal(await (await fetch(`${url}/about`)).text(), 'about');
    assert.equal((await fetch(`${url}/members/log`)).status, 403);
    assert.equal((await fetch(`${url}/MEMBERS/log`)).status, 403);
  });
  test('an address rewritten on the way is judged by what it became', async () => {
    assert.equal((await fetch(`${url}/rewritten`)).status, 403);
  });
  test('a body that was parsed before is understood, and headers are forced', async () => {
    const cookie = await unlocked(url);
    const answer = await fetch(`${url}/members/log`, { headers: { cookie } });
    assert.equal(await answer.text(), 'the log');
    assert.equal(answer.headers.get('cache-control'), 'private, no-store');
    assert.equal(answer.headers.get('vary'), 'Accept, Cookie');
  });
});

test('in front of another server: requests are handed on, or not', async () => {
  const seen: string[] = [];
  const other = createServer((request, response) => {
    seen.push(request.url ?? '');
    response.writeHead(200, { 'Cache-Control': 'public', ETag: '"x"' }).end(`page ${request.url ?? ''}`);
  }).listen(0, '127.0.0.1');
  const { folder, remove } = await temporaryFolder();
  await writeFiles(folder, { 'dorlin.yaml': policy });
  const guard = await guardFromFile(join(folder, 'dorlin.yaml'));
  const to = `http://127.0.0.1:${(other.address() as AddressInfo).port}`;
  const site = await startSite({
    guard,
    source: { to },
    host: '127.0.0.1',
    port: 0,
    mayMove: false,
  });
  const url = `http://127.0.0.1:${site.port}`;
  try {
    assert.equal(await (await fetch(`${url}/about`)).text(), 'page /about');
    assert.equal((await fetch(`${url}/members/x`, { headers: { 'if-none-match': '"x"' } })).status, 403);
    const upgrade = { connection: 'upgrade', upgrade: 'websocket' };
    const client = rawClient(site.port);
    assert.equal((await client.request('/members/socket', 'GET', upgrade)).status, 403);
    client.close();
    assert.deepEqual(seen, ['/about']);
    const answer = await fetch(`${url}/members/x`, { headers: { cookie: await unlocked(url) } });
    assert.equal(await answer.text(), 'page /members/x');
    assert.equal(answer.headers.get('cache-control'), 'private, no-store');
    other.closeAllConnections();
    other.close();
    assert.equal((await fetch(`${url}/about`)).status, 502);
  } finally {
    await site.close();
    await remove();
  }
});
