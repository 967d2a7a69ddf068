import assert from 'node:assert/strict';
import { connect } from 'node:net';
import { describe, test } from 'node:test';
import { inDenoOrBun, inWorkerd } from '../conformance/fronts/programs.js';
import { policyText } from '../support/policies.js';
import { rawExchange } from '../support/raw-http.js';
import { lacksRuntime } from '../support/runtimes.js';
import { temporaryFolder } from '../support/sites.js';

const handshake = (path: string, more = '') =>
  `GET ${path} HTTP/1.1\r\nHost: site.example\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n${more}\r\n`;

/** A frame of text as a client sends it, masked by nothing (RFC 6455 section 5.2). */
const frame = (text: string) =>
  Buffer.concat([Buffer.from([0x81, 0x80 | text.length, 0, 0, 0, 0]), Buffer.from(text, 'latin1')]);

/** What comes back from a socket that is spoken to. */
const spoken = (port: number, path: string, cookie: string) =>
  new Promise<string>((resolve, reject) => {
    let got = '';
    const socket = connect(port, '127.0.0.1', () => socket.write(handshake(path, cookie)));
    socket.setTimeout(10_000, () => socket.destroy(new Error(`nothing more after ${got}`)));
    socket.on('error', reject);
    socket.on('data', (data) => {
      const isFirst = !got.includes('\r\n\r\n');
      got += data.toString('latin1');
      if (isFirst && got.includes('\r\n\r\n')) socket.write(frame('owl'));
      if (!got.startsWith('HTTP/1.1 101') || got.includes('echo owl')) socket.destroy();
    });
    socket.on('close', () => {
      resolve(got);
    });
  });

describe('in each runtime web sockets are behind the guard, and codings that it cannot take off are not asked for', () => {
  for (const runtime of ['deno', 'bun', 'workerd'] as const) {
    test(runtime, { skip: lacksRuntime(runtime), timeout: 60_000 }, async () => {
      const { folder, remove } = await temporaryFolder();
      const locks = { members: { covers: ['/members/'], passwords: { aa: 'one' } } };
      const ground = { folder, policy: await policyText(locks, { hash: 'pbkdf2-sha512' }) };
      const entry = 'test/fronts/in-runtimes-entry.ts';
      const { port, close } = await (runtime === 'workerd'
        ? inWorkerd(ground, entry)
        : inDenoOrBun(ground, runtime, entry));
      try {
        assert.match(await spoken(port, '/live', ''), /^HTTP\/1\.1 101[^]*echo owl/);
        // Shut to a stranger, whatever the handshake; open to a guest.
        assert.match(await spoken(port, '/members/live', ''), /^HTTP\/1\.1 403/);
        const form = 'lock=members&password=one&to=/';
        const opened = await rawExchange(
          port,
          `POST /_dorlin/unlock HTTP/1.1\r\nHost: site.example\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: ${form.length}\r\nConnection: close\r\n\r\n${form}`,
        );
        const cookies = [...opened.matchAll(/^set-cookie: ([^;]+)/gim)].map(([, one]) => one).join('; ');
        assert.match(await spoken(port, '/members/live', `Cookie: ${cookies}\r\n`), /^HTTP\/1\.1 101[^]*echo owl/);
        const asked = await rawExchange(
          port,
          'GET /about HTTP/1.1\r\nHost: site.example\r\nAccept-Encoding: zstd, gzip, br\r\nConnection: close\r\n\r\n',
        );
        assert.match(asked, /^x-asked: gzip\r$/im);
        // An answer that takes no handshake is a page like any other.
        for (const path of ['/about', '/members/about']) {
          const got = await rawExchange(
            port,
            handshake(path).replace('Connection: Upgrade', 'Connection: Upgrade, close'),
          );
          assert.doesNotMatch(got, /CANARY|^HTTP\/1\.1 101/, path);
        }
      } finally {
        await close();
        await remove();
      }
    });
  }
});
