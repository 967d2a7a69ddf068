import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { once } from 'node:events';
import { mkdir, writeFile } from 'node:fs/promises';
import { connect, constants, type ClientHttp2Session, type OutgoingHttpHeaders } from 'node:http2';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { makeSnippet } from '../../src/owner/snippet/snippet.js';
import { makeGround, type Ground } from '../conformance/front.js';
import { sendSecure } from '../conformance/play.js';
import { thePassword, theSecret } from '../conformance/policy.js';
import { canaries } from '../conformance/site.js';
import { makeCertificate } from '../support/certificates.js';
import { lacksProgram } from '../support/programs.js';
import { startAsking, type AskingServer } from '../support/web-servers.js';

process.env['DORLIN_SECRET'] = theSecret;

const own = { ':authority': 'heron.example', ':method': 'GET' };

/** One stream of a connection that is there. */
async function stream(session: ClientHttp2Session, headers: OutgoingHttpHeaders, body?: string) {
  const asked = session.request({ ...own, ...headers }, { endStream: body === undefined });
  let status = 0;
  const pieces: Buffer[] = [];
  asked.on('response', (answer) => (status = answer[':status'] ?? 0));
  asked.on('data', (piece: Buffer) => pieces.push(piece));
  if (body !== undefined) asked.end(body);
  await new Promise<void>((resolve) => {
    asked.on('close', resolve);
    asked.on('error', () => {
      resolve();
    });
    asked.setTimeout(5000, () => {
      asked.close(constants.NGHTTP2_CANCEL);
    });
  });
  return { status, body: Buffer.concat(pieces).toString() };
}

const quiet = (session: ClientHttp2Session) => session.on('error', () => undefined);

for (const server of ['nginx', 'caddy'] as const) {
  describe(`${server}, asked by HTTP/2 over TLS`, { skip: lacksProgram(server) || lacksProgram('openssl') }, () => {
    let ground: Ground;
    let running: AskingServer;
    let cookie: string;
    before(async () => {
      ground = await makeGround();
      running = await startAsking(server, { ...ground, isSecure: true });
      const form = { lock: 'members', password: thePassword, to: '/' };
      const { headers } = await sendSecure(running.port, { target: '/_dorlin/unlock', form });
      const lines = [headers['set-cookie'] ?? []].flat();
      const pass = lines.find((line) => line.startsWith('__Host-dorlin=')) ?? '';
      assert.match(pass, /Path=\/; .*Secure|Secure; .*Path=\//, 'the pass goes over TLS alone');
      cookie = lines.map((line) => line.split(';', 1)[0]).join('; ');
    });
    after(async () => {
      await running.close();
      await ground.remove();
    });
    const open = () =>
      connect(`https://127.0.0.1:${running.port}`, { rejectUnauthorized: false, servername: 'heron.example' });
    const isLocked = ({ body }: { readonly body: string }) => !body.includes(canaries.log);

    test('no host, path or header that HTTP/2 lets one write leads a stranger in', async () => {
      const paths = [
        '/members/log',
        'members/log',
        '//members/log',
        '/members/log#x',
        '/open#/../members/log',
        '/about#/../members/log',
        '*',
        '',
        '/members%2flog',
        '/MEMBERS/log',
        '/members\\log',
        '/./members/log',
        '/about/../members/log',
        '/about;/../members/log',
        '/members/log?',
        '/members/log/',
        '/members/log.html',
        'https://heron.example/members/log',
        'https://about@heron.example/members/log',
        '?/members/log',
        ' /members/log',
      ];
      const ways: OutgoingHttpHeaders[] = [
        {},
        { host: 'other.example' },
        { ':authority': 'other.example', host: 'heron.example' },
        { ':authority': 'site.example' },
        { ':authority': 'heron.example:1', host: 'heron.example' },
        { 'x-forwarded-uri': '/about', 'x-original-uri': '/about', 'x-forwarded-host': 'other.example' },
        { 'x-user': 'wren@heron.example', 'x-roles': 'warden', 'dorlin-site': 'other' },
        { ':method': 'HEAD' },
        { ':method': 'PROPFIND' },
        { range: 'bytes=0-4000', 'if-none-match': '*' },
        { te: 'trailers', 'accept-encoding': 'gzip;q=0, identity' },
        { cookie: ['a=1', '__Host-dorlin=a.b.c', 'dorlin=a.b.c'] },
        { ':scheme': 'http' },
      ];
      for (const path of paths) {
        let session = quiet(open());
        for (const way of ways) {
          // What breaks the rules ends a connection, and is told nothing.
          if (session.destroyed || session.closed) session = quiet(open());
          const answer = await stream(session, { ':path': path, ...way }).catch(() => ({ status: 0, body: '' }));
          assert.ok(isLocked(answer), `${path} ${JSON.stringify(way)}: ${answer.status}`);
        }
        session.destroy();
      }
    });

    test('each stream of one connection is answered for itself, cookies in crumbs too', async () => {
      const session = open();
      const all = await Promise.all(
        Array.from({ length: 60 }, (_, at) => {
          const crumbs = at % 4 === 0 ? cookie.split('; ') : cookie;
          return stream(session, { ':path': '/members/log', ...(at % 2 === 0 && { cookie: crumbs }) });
        }),
      );
      for (const [at, answer] of all.entries()) assert.equal(isLocked(answer), at % 2 === 1, `${at}: ${answer.status}`);
      session.destroy();
    });

    test('streams that are given up at once, and bodies where none belongs, leave the next one as it was', async () => {
      const session = open();
      session.on('error', () => undefined);
      await once(session, 'connect');
      for (let at = 0; at < 100 && !session.destroyed; at++) {
        const given = session.request({ ...own, ':path': '/members/log', ...(at % 2 === 0 && { cookie }) });
        given.on('error', () => undefined);
        given.close(constants.NGHTTP2_CANCEL);
      }
      session.destroy();
      const next = open();
      const smuggled = `GET /members/log HTTP/1.1\r\nhost: heron.example\r\ncookie: ${cookie}\r\n\r\n`;
      for (const headers of [{}, { 'content-length': '5' }, { expect: '100-continue' }])
        assert.ok(isLocked(await stream(next, { ':path': '/about', ...headers }, smuggled)), JSON.stringify(headers));
      next.destroy();
      const last = open();
      assert.ok(isLocked(await stream(last, { ':path': '/members/log' })), 'a stranger');
      assert.ok(!isLocked(await stream(last, { ':path': '/members/log', cookie })), 'a guest');
      last.destroy();
    });

    test('a web socket by HTTP/2 (RFC 8441) is no way in', async () => {
      const session = open();
      session.on('error', () => undefined);
      const connecting = {
        ':method': 'CONNECT',
        ':protocol': 'websocket',
        ':scheme': 'https',
        ':path': '/members/log',
      };
      const answer = await stream(session, connecting).catch(() => ({ status: 0, body: '' }));
      assert.ok(answer.status !== 200 && isLocked(answer), String(answer.status));
      session.destroy();
    });
  });
}

test('what is printed for a certificate holds wherever its files lie, and none is handed out', async () => {
  const ground = await makeGround();
  const order = { folder: join(ground.folder, 'site'), names: ['heron.example'], authorizer: '127.0.0.1:1' };
  const odd = join(ground.folder, 'of the "site"; here #1');
  await mkdir(odd);
  const files = makeCertificate(odd, order.names);
  if (lacksProgram('nginx') === false) {
    const { text } = await makeSnippet(ground.policyFile, 'nginx', { ...order, ...files });
    assert.match(text, /listen 80;[^}]*return 301 https:\/\/\$host\$request_uri;\n\}/);
    const config = join(ground.folder, 'nginx.conf');
    await writeFile(config, `events {}\nhttp {\n${text}\n}\n`);
    execFileSync('nginx', ['-t', '-q', '-e', '/dev/null', '-c', config], { stdio: 'pipe' });
  }
  if (lacksProgram('caddy') === false) {
    const { text } = await makeSnippet(ground.policyFile, 'caddy', { ...order, ...files });
    const config = join(ground.folder, 'Caddyfile');
    await writeFile(config, text);
    execFileSync('caddy', ['validate', '--adapter', 'caddyfile', '--config', config], { stdio: 'pipe' });
  }
  for (const [server, name] of [
    ['nginx', '$host'],
    ['caddy', '{http.request.host}'],
    ['caddy', 'back\\slash'],
  ] as const) {
    const folder = join(ground.folder, name);
    await mkdir(folder);
    // What a visitor says would be a part of the path.
    const asked = makeSnippet(ground.policyFile, server, { ...order, folder });
    await assert.rejects(asked, { code: 'call-wrong' }, name);
  }
  const served = makeCertificate(order.folder, order.names);
  for (const [more, code] of [
    [{ certificate: files.certificate }, 'call-wrong'],
    [{ key: files.key }, 'call-wrong'],
    [{ ...files, certificate: '/etc/a\n    deny all;' }, 'call-wrong'],
    [{ certificate: files.certificate, key: served.key }, 'folder-unsafe'],
  ] as const)
    await assert.rejects(
      makeSnippet(ground.policyFile, 'nginx', { ...order, ...more }),
      { code },
      JSON.stringify(more),
    );
  await ground.remove();
});
