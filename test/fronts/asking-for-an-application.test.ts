import assert from 'node:assert/strict';
import { createServer, type IncomingMessage } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { describe, test } from 'node:test';
import { policyText } from '../support/policies.js';
import { lacksProgram } from '../support/programs.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { startAsking } from '../support/web-servers.js';

/** Sends bytes, and gives what comes back until nothing more does. */
const exchange = (port: number, bytes: string) =>
  new Promise<string>((resolve) => {
    let got = '';
    const socket = connect(port, '127.0.0.1', () => socket.write(bytes));
    socket.on('data', (data) => (got += data.toString('latin1')));
    socket.on('error', () => undefined);
    socket.setTimeout(1500, () => socket.destroy());
    socket.on('close', () => {
      resolve(got);
    });
  });

describe('a web server that asks, before an application', () => {
  for (const server of ['nginx', 'caddy'] as const) {
    test(server, { skip: lacksProgram(server), timeout: 60_000 }, async () => {
      const seen: IncomingMessage[] = [];
      const behind = createServer((request, response) => {
        seen.push(request);
        response.writeHead(200, { 'content-type': 'text/html' });
        response.end(`<!doctype html><p>at ${request.url ?? ''}</p><section id="walk">secret meeting</section>`);
      });
      behind.on('upgrade', (request, socket) => {
        seen.push(request);
        socket.end(
          `HTTP/1.1 101 Switching Protocols\r\nconnection: upgrade\r\nupgrade: ${request.headers.upgrade ?? ''}\r\n\r\nin`,
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
          { trustedProxies: ['127.0.0.1/32'], marks: false },
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
      } finally {
        await front.close();
        behind.closeAllConnections();
        behind.close();
        await remove();
      }
    });
  }
});
