import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { createServer, type IncomingMessage } from 'node:http';
import { connect, createServer as createRawServer, type AddressInfo, type Socket } from 'node:net';
import { after, before, describe, test } from 'node:test';
import { startSite, type SiteServer } from '../../src/server/site-server.js';
import { guardFromFile } from '../../src/stores/file-guard.js';
import { answersIn, rawClient } from '../support/raw-http.js';
import { policyText } from '../support/policies.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { join } from 'node:path';

const marked = '<!doctype html><title>t</title><p data-dorlin-lock="walk">secret</p>';
const named = '<!doctype html><title>t</title><p id="walk">secret</p>';
const handshake =
  'connection: Upgrade\r\nupgrade: websocket\r\nsec-websocket-version: 13\r\nsec-websocket-key: AAAAAAAAAAAAAAAAAAAAAA==\r\n';

/** What a connection gets for these bytes, until that is enough or the connection is closed. */
function exchange(port: number, bytes: string, isEnough = (got: string) => answersIn(got) >= 1): Promise<string> {
  return new Promise((resolve) => {
    let got = '';
    const socket = connect(port, '127.0.0.1', () => socket.write(bytes));
    socket.setTimeout(8000, () => socket.destroy());
    socket.on('data', (data) => {
      got += data.toString('latin1');
      if (isEnough(got)) socket.destroy();
    });
    socket.on('error', () => undefined);
    socket.on('close', () => {
      resolve(got);
    });
  });
}

describe('in front of another server', () => {
  const seen: { method: string; url: string; headers: IncomingMessage['headers']; body: string }[] = [];
  let site: SiteServer;
  let end: () => Promise<void>;
  const upstream = createServer((request, response) => {
    let body = '';
    request.on('data', (data: Buffer) => (body += data.toString()));
    request.on('end', () => {
      const { method = '', url = '', headers } = request;
      seen.push({ method, url, headers, body });
      response.writeHead(200, { 'content-type': 'text/html', 'x-own': ['a', 'b'] });
      response.end(url === '/events' ? named : marked);
    });
  });
  upstream.on('upgrade', (request: IncomingMessage, socket: Socket) => {
    socket.on('error', () => undefined);
    const accept = createHash('sha1')
      .update(`${request.headers['sec-websocket-key'] ?? ''}258EAFA5-E914-47DA-95CA-C5AB0DC85B11`)
      .digest('base64');
    if (request.url === '/refuses') {
      socket.end('HTTP/1.1 200 OK\r\ncontent-type: text/html\r\ncontent-length: 6\r\n\r\nsecret');
      return;
    }
    const said = request.url === '/wrong' ? 'bm9wZQ==' : accept;
    socket.write(
      `HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Accept: ${said}\r\n\r\nhello`,
    );
    socket.on('data', (data) => socket.write(data));
  });

  before(async () => {
    await new Promise<void>((resolve) => upstream.listen(0, '127.0.0.1', resolve));
    const { folder, remove } = await temporaryFolder();
    const policy = await policyText({
      members: { covers: ['/members/'], passwords: { aa: 'one' } },
      walk: { covers: ['/events#walk'], passwords: { aa: 'two' } },
      trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
    });
    await writeFiles(folder, { 'dorlin.yaml': policy });
    const guard = await guardFromFile(join(folder, 'dorlin.yaml'));
    const to = `http://127.0.0.1:${(upstream.address() as AddressInfo).port}`;
    site = await startSite({ guard, source: { to }, host: '127.0.0.1', port: 0, mayMove: false });
    end = async () => {
      await site.close();
      upstream.closeAllConnections();
      upstream.close();
      await remove();
    };
  });
  after(() => end());

  const ask = (request: string, isEnough?: (got: string) => boolean) => exchange(site.port, request, isEnough);
  const host = 'host: site.example\r\n';

  test('a WebSocket is passed on, both ways', async () => {
    const got = await ask(`GET /socket HTTP/1.1\r\n${host}${handshake}\r\nping`, (text) => text.endsWith('ping'));
    assert.match(got, /^HTTP\/1\.1 101 [^]*\r\n\r\nhelloping$/);
  });
  test('nothing else passes unread: what asks for an upgrade is a request like any other', async () => {
    for (const [target, headers, kind] of [
      ['/about', handshake.replace('websocket', 'h2c'), 'cut'],
      ['/about', 'connection: upgrade\r\nupgrade: websocket\r\n', 'cut'],
      ['/about', handshake.replace('13', '8'), 'cut'],
      ['/events', handshake, 'cut'],
      ['/refuses', handshake, 'cut'],
      ['/members/x', handshake, '403'],
      // As any address where there is nothing.
      ['/trustees/x', handshake, 'cut'],
      ['http:///members/x', handshake, '400'],
      ['/wrong', handshake, '502'],
    ] as const) {
      const got = await ask(`GET ${target} HTTP/1.1\r\n${host}${headers}\r\n`);
      assert.match(got, new RegExp(`^HTTP/1\\.1 ${kind === 'cut' ? '200' : kind} `), target + headers);
      assert.doesNotMatch(got, /secret/, target);
    }
  });
  test('bodies keep their bounds, whatever the method and the wish for an upgrade', async () => {
    seen.length = 0;
    const smuggled = 'GET /members/log HTTP/1.1\r\nhost: x\r\n\r\n';
    const chunked = `${smuggled.length.toString(16)}\r\n${smuggled}\r\n0\r\n\r\n`;
    const all = ['OPTIONS', 'DELETE', 'POST', 'GET', 'PATCH'].flatMap((method) =>
      [
        '',
        'connection: upgrade\r\nupgrade: h2c\r\n',
        handshake,
        'connection: transfer-encoding\r\n',
        'connection: content-length\r\n',
      ].flatMap((headers) => [
        `${method} /a HTTP/1.1\r\n${host}${headers}transfer-encoding: chunked\r\n\r\n${chunked}`,
        `${method} /a HTTP/1.1\r\n${host}${headers}content-length: ${smuggled.length}\r\n\r\n${smuggled}`,
      ]),
    );
    await Promise.all(all.map((one) => ask(one)));
    assert.equal(seen.length, 50);
    for (const { url, body } of seen) {
      assert.equal(url, '/a');
      assert.equal(body, smuggled);
    }
  });
  test('two readings of a body’s length are refused', async () => {
    seen.length = 0;
    for (const headers of [
      'content-length: 5\r\ntransfer-encoding: chunked\r\n',
      'content-length: 5\r\ncontent-length: 6\r\n',
      'transfer-encoding: chunked, identity\r\n',
      'transfer-encoding: xchunked\r\n',
      'content-length: +5\r\n',
      'content-length: 0x5\r\n',
    ]) {
      assert.match(
        await ask(`POST /a HTTP/1.1\r\n${host}${headers}\r\n0\r\n\r\nGET /b HTTP/1.1\r\n${host}\r\n`),
        /^HTTP\/1\.1 400 /,
        headers,
      );
    }
    assert.deepEqual(seen, []);
  });
  test('of a visitor’s headers, those of the connection and those that name other addresses stay here', async () => {
    seen.length = 0;
    await ask(
      `GET /%61 HTTP/1.1\r\n${host}connection: close, x-gone, cookie\r\nx-gone: 1\r\ncookie: a=b\r\nte: trailers\r\nx-original-url: /members/\r\nx-rewrite-url: /members/\r\nx_original_url: /members/\r\nx-forwarded-for: 192.0.2.1\r\nx_forwarded_for: 192.0.2.1\r\nforwarded: for=192.0.2.1\r\nx-forwarded-host: evil.example\r\ndorlin-patrol: 1\r\ndorlin_patrol: 1\r\nx-kept: 1\r\n\r\n`,
    );
    const { connection, ...headers } = seen[0]?.headers ?? {};
    assert.equal(connection, 'keep-alive');
    assert.equal(seen[0]?.url, '/a');
    assert.deepEqual(headers, {
      host: 'site.example',
      cookie: 'a=b',
      'x-kept': '1',
      'x-forwarded-for': '127.0.0.1',
      'x-forwarded-proto': 'http',
      'x-forwarded-host': 'site.example',
    });
  });
  test('many wishes for an upgrade on one connection, and one that is reset', async () => {
    // One after the other: newer lines of Node let go of what came along with a wish that they do not grant.
    const client = rawClient(site.port);
    for (let times = 0; times < 60; times++) {
      const { status } = await client.request('/about', 'GET', { connection: 'upgrade', upgrade: 'x' });
      assert.equal(status, 200);
    }
    client.close();
    for (let times = 0; times < 50; times++) {
      const socket = connect(site.port, '127.0.0.1', () => {
        socket.write(`GET /socket HTTP/1.1\r\n${host}${handshake}\r\n`);
        setTimeout(() => socket.resetAndDestroy(), times % 5);
      });
      socket.on('error', () => undefined);
      await new Promise((resolve) => socket.once('close', resolve));
    }
    assert.match(await ask(`GET /about HTTP/1.1\r\n${host}\r\n`), /^HTTP\/1\.1 200/);
  });
});

test('an upstream that dies ends the answer, and nobody waits', async () => {
  const dying = createRawServer((socket) => {
    socket.on('error', () => undefined);
    socket.once('data', (data) => {
      const kind = /^GET \/(\w+)/.exec(data.toString())?.[1];
      const head = 'HTTP/1.1 200 OK\r\ncontent-type: ';
      if (kind === 'half') socket.end(`${head}text/plain\r\ncontent-length: 90\r\n\r\nhalf`);
      else if (kind === 'held') socket.end(`${head}text/html\r\ncontent-length: 90\r\n\r\nhalf`);
      else if (kind === 'chunk') socket.end(`${head}text/plain\r\ntransfer-encoding: chunked\r\n\r\n9\r\nha`);
      else if (kind === 'odd')
        socket.end('HTTP/1.1 101 Switching Protocols\r\nconnection: upgrade\r\nupgrade: x\r\n\r\n');
      else if (kind === 'both')
        socket.end(`${head}text/plain\r\ncontent-length: 4\r\ntransfer-encoding: chunked\r\n\r\n0\r\n\r\n`);
      else socket.destroy();
    });
  });
  await new Promise<void>((resolve) => dying.listen(0, '127.0.0.1', resolve));
  const { folder, remove } = await temporaryFolder();
  await writeFiles(folder, { 'dorlin.yaml': await policyText({ a: { covers: ['/a/'] } }) });
  const guard = await guardFromFile(join(folder, 'dorlin.yaml'));
  const to = `http://127.0.0.1:${(dying.address() as AddressInfo).port}`;
  const site = await startSite({
    guard,
    source: { to },
    host: '127.0.0.1',
    port: 0,
    mayMove: false,
  });
  try {
    for (const [kind, answer] of [
      ['half', /^HTTP\/1\.1 200 [^]*half$/],
      ['held', /^$/],
      ['chunk', /^HTTP\/1\.1 200 [^]*(?<!\r\n0\r\n\r\n)$/],
      ['odd', /^HTTP\/1\.1 502/],
      ['both', /^HTTP\/1\.1 502/],
      ['none', /^HTTP\/1\.1 502/],
    ] as const) {
      const start = Date.now();
      const got = await exchange(
        site.port,
        `GET /${kind} HTTP/1.1\r\nhost: x\r\nconnection: close\r\n\r\n`,
        () => false,
      );
      assert.match(got, answer, kind);
      assert.ok(Date.now() - start < 7000, `${kind}: it hangs`);
    }
  } finally {
    await site.close();
    dying.close();
    await remove();
  }
});
