import assert from 'node:assert/strict';
import { createServer, type OutgoingHttpHeader, type OutgoingHttpHeaders } from 'node:http';
import type { AddressInfo } from 'node:net';
import { after, describe, test } from 'node:test';
import { gzipSync } from 'node:zlib';
import { guardListener } from '../../src/adapters/node.js';
import { startSite } from '../../src/server/site-server.js';
import { guardFromFile } from '../../src/stores/file-guard.js';
import { testGuard } from '../support/guards.js';
import { policyText, testPolicy } from '../support/policies.js';
import { rawExchange } from '../support/raw-http.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { join } from 'node:path';

const ends: (() => unknown)[] = [];
after(async () => {
  for (const end of ends.reverse()) await end();
});

const locks = { members: { covers: ['/members/'], passwords: { aa: 'one' } } };
const page = Buffer.from('<!doctype html><p>PUBLIC</p><div data-dorlin-lock="members">CANARY</div>');
const feed = (link: string) =>
  `<?xml version="1.0"?><rss version="2.0"><channel><title>News</title><link>https://site.example/</link>` +
  `<item><title>CANARY</title><link>${link}</link></item><item><title>PUBLIC</title><link>https://site.example/about</link></item></channel></rss>`;
const locked = feed('https://site.example/members/log');

type Head = readonly (readonly [string, string])[] | OutgoingHttpHeaders | OutgoingHttpHeader[];

/** What an application answers at its only address, and what is asked for. */
interface Case {
  readonly status?: number;
  readonly head: Head;
  readonly body: Buffer | string;
  readonly path?: string;
}

const cases: Readonly<Record<string, Case>> = {
  'two lines of Content-Encoding over a body that was packed twice': {
    head: ['content-type', 'text/html', 'content-encoding', 'gzip', 'Content-Encoding', 'gzip'],
    body: gzipSync(gzipSync(page)),
  },
  'two lines of Content-Type, of which the last is no page': {
    head: ['content-type', 'text/html', 'content-type', 'text/plain'],
    body: page,
  },
  'two lines of Content-Type, of which the first is no page': {
    head: ['Content-Type', 'text/plain', 'content-type', 'text/html'],
    body: page,
  },
  'one line of Content-Type with two types': { head: { 'content-type': 'image/png, text/html' }, body: page },
  'a page that is packed, and of which no header says so': {
    head: { 'content-type': 'text/html' },
    body: gzipSync(page),
  },
  'a packed page of no type': { head: {}, body: gzipSync(page) },
  'a page packed by Zstandard, and of which no header says so': {
    head: { 'content-type': 'text/html' },
    body: Buffer.concat([Buffer.from([0x28, 0xb5, 0x2f, 0xfd]), page]),
  },
  ...Object.fromEntries(
    [
      '',
      'unknown/unknown',
      'xml',
      'text/xml, text/xml',
      '*/*',
      'text/html',
      'application/rss+xml',
      'rss; charset=utf-8',
    ].flatMap((type): [string, Case][] =>
      ['/feed', '/feed.xml'].map((path) => [
        `a feed at ${path} of the type “${type}”`,
        { head: { ...(type === '' ? {} : { 'content-type': type }), etag: '"1"' }, body: locked, path },
      ]),
    ),
  ),
  ...Object.fromEntries(
    ['https://live.example', 'http://localhost:3000', 'https://www.site.example', 'https://127.0.0.1', ''].map(
      (origin) => [
        `a feed that names the site ${origin || 'by paths'}`,
        { head: { 'content-type': 'application/rss+xml' }, body: feed(`${origin}/members/log`), path: '/feed.xml' },
      ],
    ),
  ),
  ...Object.fromEntries(
    [201, 203, 404, 410, 500, 503].map((status) => [
      `a feed that is answered with ${status}`,
      { status, head: { 'content-type': 'application/rss+xml' }, body: locked, path: '/feed.xml' },
    ]),
  ),
};

describe('an answer whose headers say two things is read by all of them, the first time and every later one', () => {
  for (const [what, { status = 200, head, body, path = '/events' }] of Object.entries(cases)) {
    test(what, async () => {
      const answer = createServer((_request, response) => {
        response.writeHead(status, head as OutgoingHttpHeaders);
        response.end(body);
      }).listen(0, '127.0.0.1');
      ends.push(() => answer.close());
      await new Promise((resolve) => answer.once('listening', resolve));
      const own = (answer.address() as AddressInfo).port;
      // In the application itself, and before it.
      const policy = await testPolicy(locks, { origin: 'http://localhost:4280' });
      const { guard } = await testGuard(policy);
      const inside = createServer(
        guardListener(guard, (_request, response) => {
          response.writeHead(status, head as OutgoingHttpHeaders);
          response.end(body);
        }),
      ).listen(0, '127.0.0.1');
      ends.push(() => inside.close());
      await new Promise((resolve) => inside.once('listening', resolve));
      const { folder, remove } = await temporaryFolder();
      ends.push(remove);
      await writeFiles(folder, { 'dorlin.yaml': await policyText(locks, { origin: 'http://localhost:4280' }) });
      const proxy = await startSite({
        guard: await guardFromFile(join(folder, 'dorlin.yaml')),
        source: { to: `http://127.0.0.1:${own}` },
        host: '127.0.0.1',
        port: 0,
        mayMove: false,
      });
      ends.push(() => proxy.close());
      for (const port of [(inside.address() as AddressInfo).port, proxy.port]) {
        for (let visit = 0; visit < 3; visit++) {
          const request = `GET ${path} HTTP/1.1\r\nHost: site.example\r\nConnection: close\r\n\r\n`;
          const got = await rawExchange(port, request);
          assert.ok(got.startsWith('HTTP/1.1 '), got);
          const sent = Buffer.from(got, 'latin1');
          assert.doesNotMatch(got, /CANARY/, `visit ${visit}`);
          // Packed as it was made, it would be found by these bytes.
          const packed = typeof body === 'string' ? undefined : body.subarray(0, 40);
          if (packed?.[0] === 0x1f) assert.equal(sent.includes(packed), false, `packed, visit ${visit}`);
        }
      }
    });
  }
});
