import assert from 'node:assert/strict';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { after, describe, test } from 'node:test';
import { startSite } from '../../src/server/site-server.js';
import { guardFromFile } from '../../src/stores/file-guard.js';
import { policyText } from '../support/policies.js';
import { rawExchange } from '../support/raw-http.js';
import { lacksProgram } from '../support/programs.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { startAsking } from '../support/web-servers.js';

const ends: (() => unknown)[] = [];
after(async () => {
  for (const end of ends.reverse()) await end();
});

const locks = {
  board: { covers: ['/404#board', '/#team'], passwords: { aa: 'one' } },
  marked: { covers: ['/marked/'], passwords: { aa: 'one' } },
  hidden: { covers: ['/secret/', '/plan'], outsiders: 'not-found', passwords: { aa: 'one' } },
};
const missing =
  '<!doctype html><title>Not here</title><p>Our own 404<div id="board">CANARY-NAMED</div><div data-dorlin-lock="marked">CANARY-MARKED</div>';
const files = {
  'site/404.html': missing,
  'site/index.html': '<!doctype html><title>Home</title><p>Home<div id="te&#97;m">CANARY-HOME</div>',
  'site/about.html': '<!doctype html><title>About</title><p>About',
  'site/secret/index.html': '<!doctype html><title>Secret</title>CANARY-SECRET',
  'site/secret/notes.pdf': 'CANARY-SECRET',
  'site/plan.html': '<!doctype html><title>Plan</title>CANARY-SECRET',
};

const get = (port: number, path: string, more = '') =>
  rawExchange(port, `GET ${path} HTTP/1.1\r\nHost: site.example\r\nConnection: close\r\n${more}\r\n`);

/** An answer without what no two answers share, and without what the address itself makes of it. */
const shape = (answer: string, path: string) =>
  answer
    .replace(/^date: .*\r\n/im, '')
    .replaceAll(path, '{path}')
    .split('\r\n\r\n');

async function startFolder(how: 'dorlin serve' | 'nginx' | 'caddy') {
  const { folder, remove } = await temporaryFolder();
  ends.push(remove);
  const policyFile = join(folder, 'dorlin.yaml');
  await writeFiles(folder, { ...files, 'dorlin.yaml': await policyText(locks, { trustedProxies: ['127.0.0.1/32'] }) });
  if (how !== 'dorlin serve') {
    const front = await startAsking(how, { folder, policyFile });
    ends.push(front.close);
    return front.port;
  }
  const source = { folder: join(folder, 'site') };
  const guard = await guardFromFile(policyFile);
  const site = await startSite({ guard, source, host: '127.0.0.1', port: 0, mayMove: false });
  ends.push(() => site.close());
  return site.port;
}

for (const how of ['dorlin serve', 'nginx', 'caddy'] as const) {
  describe(`${how} of a folder`, { skip: how === 'dorlin serve' ? false : lacksProgram(how) }, () => {
    test('the sections of the page for what is missing are locked at every missing address', async () => {
      const port = await startFolder(how);
      for (const path of ['/nope', '/nope/', '/a/b/c.html', '/nope.json', '/404', '/404.html', '/%6eope', '/about/x']) {
        const answer = await get(port, path);
        assert.doesNotMatch(answer, /CANARY/, path);
      }
      assert.match(await get(port, '/nope'), /^HTTP\/1\.1 404[^]*Our own 404/);
      assert.doesNotMatch(await get(port, '/'), /CANARY/);
    });

    test('what is hidden is answered as what is not there, to the header', async () => {
      await compareHidden(await startFolder(how));
    });
  });
}

async function compareHidden(port: number) {
  const pairs = [
    ['/secret/', '/nosuch/'],
    ['/secret/notes.pdf', '/nosuch/notes.pdf'],
    ['/secret', '/nosuch'],
    ['/plan', '/nope'],
    ['/plan.html', '/nope.html'],
  ] as const;
  for (const [hidden, nothing] of pairs) {
    for (const more of [
      '',
      'Cookie: a=b\r\n',
      'If-None-Match: *\r\n',
      'Accept-Encoding: gzip\r\n',
      'Range: bytes=0-9\r\n',
    ]) {
      const both = [shape(await get(port, hidden, more), hidden), shape(await get(port, nothing, more), nothing)];
      assert.deepEqual(both[0], both[1], `${hidden} and ${nothing} with ${more}`);
    }
  }
}

for (const how of ['nginx', 'caddy'] as const) {
  test(
    `${how} before an application answers what is hidden as what is not there, to the header`,
    { skip: lacksProgram(how) },
    async () => {
      const behind = createServer((request, response) => {
        const { pathname } = new URL(request.url ?? '/', 'http://x');
        if (pathname === '/' || pathname.startsWith('/secret') || pathname === '/plan') {
          response.writeHead(200, { 'content-type': 'text/html' }).end(`<!doctype html>CANARY-SECRET ${pathname}`);
          return;
        }
        if (pathname.endsWith('.pdf'))
          response.writeHead(404, { 'content-type': 'text/plain', etag: '"none"' }).end('No such file');
        else
          response
            .writeHead(404, { 'content-type': 'text/html', 'x-app': 'yes' })
            .end(`<!doctype html><p>Nothing at ${pathname}`);
      }).listen(0, '127.0.0.1');
      ends.push(() => behind.close());
      await new Promise((resolve) => behind.once('listening', resolve));
      const { folder, remove } = await temporaryFolder();
      ends.push(remove);
      const policyFile = join(folder, 'dorlin.yaml');
      const { hidden } = locks;
      await writeFiles(folder, {
        'dorlin.yaml': await policyText({ hidden }, { trustedProxies: ['127.0.0.1/32'], marks: false }),
      });
      const to = `http://127.0.0.1:${(behind.address() as AddressInfo).port}`;
      const front = await startAsking(how, { folder, policyFile, to });
      ends.push(front.close);
      await compareHidden(front.port);
    },
  );
}

test('an application that answers every address with its start page sends none of its sections', async () => {
  const behind = createServer((_request, response) => {
    response.writeHead(200, { 'content-type': 'text/html' }).end(files['site/index.html']);
  }).listen(0, '127.0.0.1');
  ends.push(() => behind.close());
  await new Promise((resolve) => behind.once('listening', resolve));
  const { folder, remove } = await temporaryFolder();
  ends.push(remove);
  await writeFiles(folder, { 'dorlin.yaml': await policyText(locks, { marks: false }) });
  const site = await startSite({
    guard: await guardFromFile(join(folder, 'dorlin.yaml')),
    source: { to: `http://127.0.0.1:${(behind.address() as AddressInfo).port}` },
    host: '127.0.0.1',
    port: 0,
    mayMove: false,
  });
  ends.push(() => site.close());
  for (const path of ['/', '/anything', '/deep/er', '/index.html', '/x.json']) {
    const answer = await get(site.port, path);
    assert.doesNotMatch(answer, /CANARY/, path);
    assert.match(answer, /^HTTP\/1\.1 200/);
  }
});
