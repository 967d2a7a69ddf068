import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { createServer, type IncomingMessage } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { describe, test } from 'node:test';
import { policyText } from '../support/policies.js';
import { lacksProgram } from '../support/programs.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { startAsking } from '../support/web-servers.js';

/** Whether an answer is all there, as far as its head says how long it is. */
function isWhole(got: string): boolean {
  const end = got.indexOf('\r\n\r\n');
  if (end < 0) return false;
  const head = got.slice(0, end);
  const length = /^content-length: (\d+)/im.exec(head)?.[1];
  if (length !== undefined) return got.length >= end + 4 + Number(length);
  return / 101 /.test(head.slice(0, 14)) || /0\r\n\r\n$|data: first/.test(got);
}

/** Sends bytes, and gives what comes back until the answer is whole, or nothing more does. */
const exchange = (port: number, bytes: string) =>
  new Promise<string>((resolve) => {
    let got = '';
    const socket = connect(port, '127.0.0.1', () => socket.write(bytes));
    socket.on('data', (data) => {
      got += data.toString('latin1');
      if (isWhole(got)) socket.destroy();
    });
    socket.on('error', () => undefined);
    socket.setTimeout(5000, () => socket.destroy());
    socket.on('close', () => {
      resolve(got);
    });
  });

describe('a web server that asks, before an application', () => {
  const cases = (['nginx', 'caddy'] as const).flatMap((server) => [
    { server, marks: true },
    { server, marks: false },
  ]);
  for (const { server, marks } of cases) {
    const name = `${server}, ${marks ? 'whose pages may be marked' : 'whose pages have no marks'}`;
    test(name, { skip: lacksProgram(server), timeout: 60_000 }, async () => {
      const seen: IncomingMessage[] = [];
      const marked = '<p data-dorlin-lock="members">marked words</p>';
      const pageAt = (path = '') =>
        `<!doctype html><p>at ${path}</p><section id="walk">secret meeting</section>${marks ? marked : ''}`;
      const behind = createServer((request, response) => {
        seen.push(request);
        if (request.url === '/news') {
          response.writeHead(200, { 'content-type': 'text/event-stream', 'x-accel-buffering': 'no' });
          response.write('data: first\n\n');
          request.on('close', () => response.end());
          return;
        }
        response.writeHead(200, { 'content-type': 'text/html' });
        response.end(pageAt(request.url));
      });
      behind.on('upgrade', (request, socket) => {
        seen.push(request);
        if (request.url?.endsWith('/live') !== true) {
          // As servers do that know no such protocol there.
          const body = pageAt(request.url);
          socket.end(
            `HTTP/1.1 200 OK\r\ncontent-type: text/html\r\ncontent-length: ${body.length}\r\nconnection: close\r\n\r\n${body}`,
          );
          return;
        }
        const accept = createHash('sha1')
          .update(`${request.headers['sec-websocket-key'] ?? ''}258EAFA5-E914-47DA-95CA-C5AB0DC85B11`)
          .digest('base64');
        socket.end(
          `HTTP/1.1 101 Switching Protocols\r\nconnection: upgrade\r\nupgrade: ${request.headers.upgrade ?? ''}\r\nsec-websocket-accept: ${accept}\r\n\r\nin`,
        );
      });
      await new Promise<void>((resolve) => behind.listen(0, '127.0.0.1', resolve));
      const to = `http://127.0.0.1:${(behind.address() as AddressInfo).port}`;
      const { folder, remove } = await temporaryFolder();
      const policyFile = join(folder, 'dorlin.yaml');
      await writeFiles(folder, {
        'dorlin.yaml': await policyText(
          {
            members: { covers: ['/members/'], passwords: { aa: 'one' } },
            walk: { covers: ['/events#walk'], passwords: { bb: 'two' } },
          },
          { trustedProxies: ['127.0.0.1/32'], marks },
        ),
      });
      const front = await startAsking(server, { folder, policyFile, to });
      const host = 'host: site.example\r\n';
      try {
        seen.length = 0;
        const ask = (path: string, headers = '') =>
          exchange(front.port, `GET ${path} HTTP/1.1\r\n${host}${headers}connection: close\r\n\r\n`);
        assert.match(
          await ask('/about', 'x-original-url: /members/\r\nx-rewrite-url: /members/\r\nforwarded: for=1.1.1.1\r\n'),
          /at \/about/,
        );
        const { headers } = seen[0] ?? {};
        for (const name of ['x-original-url', 'x-rewrite-url', 'x-original-uri', 'forwarded'])
          assert.equal(headers?.[name], undefined, name);
        assert.match(await ask('/members/log'), /^HTTP\/1\.1 403/);
        const events = await ask('/events');
        assert.match(events, /at \/events/);
        assert.doesNotMatch(events, /secret meeting/);
        assert.equal(seen.filter(({ url }) => url?.includes('members')).length, 0);

        // Within another protocol, requests would reach the application that nobody was asked about.
        seen.length = 0;
        for (const upgrade of ['h2c', 'H2C', 'websocket, h2c', 'x']) {
          const got = await exchange(
            front.port,
            `GET /about HTTP/1.1\r\n${host}connection: Upgrade, HTTP2-Settings\r\nupgrade: ${upgrade}\r\nhttp2-settings: AAMAAABkAAQAAP__\r\n\r\n`,
          );
          assert.doesNotMatch(got, /^HTTP\/1\.1 101/, upgrade);
        }
        assert.deepEqual(
          seen.map(({ headers: { upgrade } }) => upgrade).filter((one) => one !== undefined),
          [],
        );
        const handshake =
          'connection: Upgrade\r\nupgrade: WebSocket\r\nsec-websocket-version: 13\r\nsec-websocket-key: AAAAAAAAAAAAAAAAAAAAAA==\r\n';
        assert.match(await exchange(front.port, `GET /live HTTP/1.1\r\n${host}${handshake}\r\n`), /^HTTP\/1\.1 101/);
        assert.match(
          await exchange(front.port, `GET /members/live HTTP/1.1\r\n${host}${handshake}\r\n`),
          /^HTTP\/1\.1 403/,
        );

        // Who fetched it: the web server itself, or Dorlin for it, which says what host was asked for.
        seen.length = 0;
        const about = await ask('/about', 'range: bytes=0-4000\r\naccept-encoding: gzip\r\n');
        assert.match(about, /at \/about/);
        assert.equal(seen[0]?.headers['x-forwarded-host'] !== undefined, marks);
        const body = 'a=b';
        const more = `${host}content-type: application/x-www-form-urlencoded\r\ncontent-length: ${body.length}\r\nconnection: close\r\n\r\n${body}`;
        const answers = [
          about,
          await ask('/about.css', 'sec-fetch-dest: style\r\naccept: text/css\r\n'),
          await ask('/picture.png'),
          await exchange(front.port, `POST /about HTTP/1.1\r\n${more}`),
          await exchange(front.port, `GET /about HTTP/1.1\r\n${host}${handshake}\r\n`),
          await exchange(front.port, `GET /about HTTP/1.0\r\n${host}\r\n`),
        ];
        for (const [at, answer] of answers.entries()) assert.doesNotMatch(answer, /marked words/, String(at));
        assert.equal(seen.filter(({ method }) => method === 'POST').length, 1);
        // A stream stays one.
        assert.match(
          await exchange(front.port, `GET /news HTTP/1.1\r\n${host}accept: text/event-stream\r\n\r\n`),
          /data: first/,
        );
      } finally {
        await front.close();
        behind.closeAllConnections();
        behind.close();
        await remove();
      }
    });
  }
});
