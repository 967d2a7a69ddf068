import assert from 'node:assert/strict';
import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import {
  createServer,
  request as httpRequest,
  type IncomingMessage,
  type RequestListener,
  type Server,
  type ServerResponse,
} from 'node:http';
import { createServer as createRawServer, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { gzipSync } from 'node:zlib';
import { proxyTo } from '../../src/server/proxy.js';
import { startSite, type SiteServer } from '../../src/server/site-server.js';
import { guardFromFile } from '../../src/stores/file-guard.js';
import { policyText } from '../support/policies.js';
import { startProgram } from '../support/programs.js';
import { temporaryFolder, until, writeFiles } from '../support/sites.js';

const listening = (server: Server) =>
  new Promise<number>((resolve) => {
    server.listen(0, '127.0.0.1', () => {
      resolve((server.address() as AddressInfo).port);
    });
  });

/** How much was sent up, by what reads it and keeps none of it. */
const upstream: RequestListener = (request, response) => {
  if (request.url === '/events-as-they-come') {
    response.writeHead(200, { 'content-type': 'text/event-stream' });
    let sent = 0;
    // Each is sent once the one before has been asked for.
    const send = () => response.write(`data: ${++sent}\n\n`);
    upstreamSends = send;
    send();
  } else if (request.url === '/packed') {
    response.writeHead(200, { 'content-type': 'application/json', 'content-encoding': 'gzip' });
    response.end(gzipSync('{"packed":true}'));
  } else if (request.url === '/never') {
    // No answer.
  } else {
    let length = 0;
    request.on('data', (data: Buffer) => (length += data.length));
    request.on('end', () => response.end(`got ${length}`));
  }
};
let upstreamSends: () => unknown = () => undefined;

describe('another server, through `serve --to`', () => {
  const behind = createServer(upstream);
  let site: SiteServer;
  let folder: string;
  let to: string;
  let end: () => Promise<void>;
  before(async () => {
    to = `http://127.0.0.1:${await listening(behind)}`;
    const made = await temporaryFolder();
    folder = made.folder;
    await writeFiles(folder, {
      'dorlin.yaml': await policyText({ members: { covers: ['/members/'] } }, { languages: ['en', 'de'] }),
    });
    const guard = await guardFromFile(join(folder, 'dorlin.yaml'));
    site = await startSite({ guard, source: { to }, host: '127.0.0.1', port: 0, mayMove: false });
    end = async () => {
      await site.close();
      behind.closeAllConnections();
      behind.close();
      await made.remove();
    };
  });
  after(() => end());

  const get = (path: string, headers: Record<string, string> = {}) =>
    new Promise<IncomingMessage>((resolve, reject) => {
      httpRequest({ port: site.port, host: '127.0.0.1', path, headers }, resolve).on('error', reject).end();
    });

  test('events are shown as each comes', async () => {
    const answer = await get('/events-as-they-come');
    assert.equal(answer.headers['content-type'], 'text/event-stream');
    let got = '';
    answer.on('data', (data: Buffer) => (got += data.toString()));
    for (const count of [1, 2, 3]) {
      await until(() => got.endsWith(`data: ${count}\n\n`));
      upstreamSends();
    }
    answer.destroy();
  });
  test('a packed answer goes through as it is', async () => {
    const answer = await get('/packed', { 'accept-encoding': 'gzip' });
    assert.equal(answer.headers['content-encoding'], 'gzip');
    const pieces: Buffer[] = [];
    for await (const piece of answer) pieces.push(piece as Buffer);
    assert.deepEqual(Buffer.concat(pieces), gzipSync('{"packed":true}'));
  });
  test('a gigabyte is sent up in a memory that stays small', async (t) => {
    const running = await startProgram(
      process.execPath,
      ['dist/node/dorlin.js', 'serve', '--policy', join(folder, 'dorlin.yaml'), '--to', to, '--port', '0', '--json'],
      (said) => said.includes('"listening"'),
    );
    const port = Number(/localhost:(\d+)/.exec(running.said())?.[1]);
    const memory = () => Number(/VmHWM:\s+(\d+)/.exec(readFileSync(`/proc/${running.pid}/status`, 'utf8'))?.[1]) / 1024;
    const before = memory();
    const chunk = randomBytes(1024 * 1024);
    const body = await new Promise<string>((resolve, reject) => {
      const sent = httpRequest({ port, host: '127.0.0.1', path: '/up', method: 'POST' }, (answer) => {
        let text = '';
        answer.on('data', (data: Buffer) => (text += data.toString()));
        answer.on('end', () => {
          resolve(text);
        });
      });
      sent.on('error', reject);
      let left = 1024;
      const write = () => {
        while (left-- > 0)
          if (!sent.write(chunk)) {
            sent.once('drain', write);
            return;
          }
        sent.end();
      };
      write();
    });
    const grown = memory() - before;
    await running.end();
    assert.equal(body, `got ${2 ** 30}`);
    t.diagnostic(`it grew by ${grown.toFixed(0)} MB at most`);
    assert.ok(grown < 150, `${grown} MB`);
  });
  test('a site that does not answer: its screen says so to a browser, a line to all else', async () => {
    const gone = await temporaryFolder();
    await writeFiles(gone.folder, {
      'dorlin.yaml': await policyText({ members: { covers: ['/members/'] } }, { languages: ['en', 'de'] }),
    });
    const guard = await guardFromFile(join(gone.folder, 'dorlin.yaml'));
    const front = await startSite({
      guard,
      source: { to: 'http://127.0.0.1:1' },
      host: '127.0.0.1',
      port: 0,
      mayMove: false,
    });
    const ask = (path: string, headers: Record<string, string>, method = 'GET') =>
      fetch(`http://127.0.0.1:${front.port}${path}`, { headers, method });
    try {
      const page = await ask('/about', { accept: 'text/html', 'accept-language': 'de' });
      assert.equal(page.status, 502);
      assert.equal(page.headers.get('content-language'), 'de');
      assert.match(page.headers.get('content-security-policy') ?? '', /default-src 'none'/);
      const html = await page.text();
      assert.match(html, /Diese Seite kann gerade nicht gezeigt werden/);
      assert.doesNotMatch(html, /<form|href="\//);
      for (const [headers, method] of [
        [{ accept: 'application/json' }, 'GET'],
        [{ accept: 'text/html' }, 'POST'],
      ] as const) {
        const plain = await ask('/about', headers, method);
        assert.deepEqual([plain.status, plain.headers.get('content-type')], [502, 'text/plain; charset=utf-8']);
      }
      assert.equal((await ask('/members/', { accept: 'text/html' })).status, 403);
    } finally {
      await front.close();
      await gone.remove();
    }
  });
  test('whoever does not answer in time, or takes no connection, is given up', async () => {
    const statuses: number[] = [];
    const silent = createRawServer(() => undefined);
    await new Promise<void>((resolve) => silent.listen(0, '127.0.0.1', resolve));
    const given = {
      unreachable: (_: IncomingMessage, response: ServerResponse, status: number) => {
        statuses.push(status);
        response.writeHead(status).end();
      },
      connectSeconds: 0.1,
      answerSeconds: 0.1,
    };
    const late = proxyTo(`http://127.0.0.1:${(silent.address() as AddressInfo).port}`, given);
    // Of TLS, nothing is ever said.
    const mute = proxyTo(`https://127.0.0.1:${(silent.address() as AddressInfo).port}`, given);
    for (const { listener, close } of [late, mute]) {
      const server = createServer(listener);
      const port = await listening(server);
      assert.equal((await fetch(`http://127.0.0.1:${port}/`)).status, 504);
      close();
      server.close();
    }
    assert.deepEqual(statuses, [504, 504]);
    silent.close();
  });
});
