import assert from 'node:assert/strict';
import { rm, writeFile } from 'node:fs/promises';
import { createServer, request, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { dirname, join } from 'node:path';
import { Readable } from 'node:stream';
import { after, before, describe, test } from 'node:test';
import { createConsole, type OwnersConsole } from '../../src/console/console.js';
import { startConsole } from '../../src/console/start.js';
import { invite } from '../../src/owner/people/people.js';
import { goodPassword } from '../support/consoles.js';
import { rawClient } from '../support/raw-http.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

describe('the console over the wire, mounted in a server of one’s own', () => {
  let made: OwnersConsole;
  let server: Server;
  let port = 0;
  let policyFile = '';
  let remove: () => Promise<void>;
  before(async () => {
    const temporary = await temporaryFolder();
    ({ remove } = temporary);
    await writeFiles(temporary.folder, {
      'dorlin.yaml': 'dorlin: 1\nsite: { name: S }\n',
      'app/index.html': '<title>The app</title>',
      'app/assets/app.js': 'CODE',
      'secret.txt': 'CANARY',
    });
    policyFile = join(temporary.folder, 'dorlin.yaml');
    made = await createConsole({
      policyFile,
      origins: () => [`http://127.0.0.1:${port}`],
      app: join(temporary.folder, 'app'),
    });
    server = createServer(made.listener);
    await new Promise<void>((listening) => server.listen(0, '127.0.0.1', listening));
    ({ port } = server.address() as AddressInfo);
  });
  after(async () => {
    await made.close();
    server.closeAllConnections();
    server.close();
    await remove();
  });
  const warnings: string[] = [];
  process.on('warning', ({ message }) => warnings.push(message));
  const host = () => `127.0.0.1:${port}`;
  const ask = async (target: string, method = 'GET', headers: Readonly<Record<string, string>> = {}) => {
    const client = rawClient(port);
    const answer = await client.request(target, method, { host: host(), connection: 'close', ...headers });
    client.close();
    return answer;
  };

  test('its rooms are the app, its files are cached, and nothing else is there', async () => {
    for (const room of ['/', '/ways', '/settings', '/invited']) {
      const { status, body, head } = await ask(room);
      assert.deepEqual([status, body.includes('The app')], [200, true], room);
      assert.match(head, /content-security-policy: default-src 'none'/i);
      assert.match(head, /referrer-policy: no-referrer/i);
    }
    const { status, head } = await ask('/assets/app.js');
    assert.equal(status, 200);
    assert.match(head, /cache-control: public, max-age=31536000, immutable/i);
    for (const gone of ['/assets/none.js', '/dorlin.yaml', '/.dorlin/secret', '/api', '/api/', '/app.js']) {
      const answer = await ask(gone);
      assert.ok(answer.status >= 400 || answer.body.includes('The app'), `${gone}: ${answer.status}`);
      assert.doesNotMatch(answer.body, /CANARY|CODE|dorlin: 1/);
    }
  });

  test('a file of the app that has gone meanwhile is missing, and ends nothing', async () => {
    const file = join(dirname(policyFile), 'app/assets/late.js');
    await writeFile(file, 'LATE');
    assert.ok([200, 404].includes((await ask('/assets/late.js')).status));
    await rm(file);
    assert.equal((await ask('/assets/late.js')).status, 404);
    await rm(join(dirname(policyFile), 'app/assets/app.js'));
    assert.equal((await ask('/assets/app.js')).status, 404);
    await writeFile(join(dirname(policyFile), 'app/assets/app.js'), 'CODE');
  });

  test('no spelling of an address leads out of the app’s folder', async () => {
    const ups = ['..', '%2e%2e', '.%2e', '..%2f..', '..%5c..', '..\\', '....//', '%252e%252e', '..;', '\u002e\u002e'];
    for (const up of ups) {
      for (const target of [
        `/${up}/secret.txt`,
        `/assets/${up}/${up}/secret.txt`,
        `//${up}/secret.txt`,
        `http://x/${up}/secret.txt`,
      ]) {
        assert.doesNotMatch((await ask(target)).body, /CANARY/, target);
      }
    }
  });

  test('odd requests get an answer that gives nothing, and end nothing', async () => {
    const odd: [string, string, Record<string, string>][] = [
      ['http://evil.example/api/session', 'GET', { host: 'evil.example' }],
      ['//evil.example/api/session', 'GET', {}],
      ['/api/session', 'GET', { host: '' }],
      ['/api/session', 'GET', { host: 'evil.example' }],
      ['/api/news', 'GET', {}],
      ['/api/view', 'POST', { 'content-length': '0', origin: `http://${host()}`, 'content-type': 'application/json' }],
      ['/api/view', 'PUT', {}],
      ['/api/enter', 'GET', {}],
      ['/api/%76iew', 'POST', { 'content-length': '0' }],
      ['/', 'OPTIONS', {}],
      ['/', 'TRACE', {}],
      ['*', 'OPTIONS', {}],
      ['/api/session', 'GET', { upgrade: 'websocket', connection: 'upgrade' }],
      ['/assets/app.js', 'GET', { range: 'bytes=0-1,2-3' }],
      [`/${'x'.repeat(8000)}`, 'GET', {}],
      ['/api/session', 'GET', { cookie: `dorlin-console=${'x'.repeat(4000)}` }],
      ['/api/session', 'GET', { cookie: 'dorlin-console=%ff%fe; dorlin-console=__proto__' }],
    ];
    for (const [target, method, headers] of odd) {
      const { body, status } = await ask(target, method, headers);
      assert.ok(status === 0 || status >= 200, `${method} ${target}`);
      assert.doesNotMatch(body, /CANARY|"person"/, `${method} ${target}`);
    }
    // Half a request, a reset, and a body that never ends.
    for (const sent of [
      'POST /api/enter HTTP/1.1\r\nHost: ',
      `POST /api/enter HTTP/1.1\r\nHost: ${host()}\r\nContent-Length: 99\r\n\r\n{`,
    ]) {
      await new Promise<void>((done) => {
        const socket = connect(port, '127.0.0.1', () => {
          socket.write(sent, () => {
            socket.resetAndDestroy();
            done();
          });
        });
        socket.on('error', () => undefined);
      });
    }
    assert.equal((await ask('/api/session')).status, 200);
    assert.deepEqual(warnings, []);
  });

  test('a body without a length is read as any other, and one without an end is not', async () => {
    const origin = `http://${host()}`;
    const send = (pieces: Iterable<string>) =>
      new Promise<{ status: number; text: string }>((resolve, reject) => {
        const headers = { origin, 'content-type': 'application/json', 'transfer-encoding': 'chunked' };
        const asked = request(`${origin}/api/enter`, { method: 'POST', headers }, (response) => {
          let text = '';
          response.on('data', (data: Buffer) => (text += data.toString()));
          response.on('end', () => {
            asked.destroy();
            resolve({ status: response.statusCode ?? 0, text });
          });
        });
        asked.on('error', reject);
        Readable.from(pieces).pipe(asked);
      });
    const answer = await send(['{"name":"x",', '"password":"y"}']);
    assert.deepEqual([answer.status, /"sign-in-wrong"/.test(answer.text)], [403, true]);
    const endless = function* () {
      for (;;) yield ' '.repeat(65_536);
    };
    assert.deepEqual(
      await send(endless()).then(
        ({ status }) => status,
        () => 413,
      ),
      413,
    );
    assert.deepEqual(warnings, []);
  });

  test('news reach who is signed in, and end with the session', async () => {
    const { token: invitation } = await invite(policyFile);
    const origin = `http://${host()}`;
    const post = (path: string, body: object, headers: Record<string, string> = {}) =>
      fetch(`${origin}/api/${path}`, {
        method: 'POST',
        headers: { origin, 'content-type': 'application/json', ...headers },
        body: JSON.stringify(body),
      });
    const entered = await post('accept', { invite: invitation, name: 'Imke', password: goodPassword });
    const cookie = (entered.headers.getSetCookie()[0] ?? '').split(';', 1)[0] ?? '';
    const { token } = (await entered.json()) as { token: string };
    const news = await fetch(`${origin}/api/news`, { headers: { cookie } });
    assert.match(news.headers.get('content-type') ?? '', /^text\/event-stream/);
    const stream = (news.body as ReadableStream<Uint8Array>).getReader();
    const decoder = new TextDecoder();
    const heard = async () => decoder.decode((await stream.read()).value);
    const first = await heard();
    const { version } = JSON.parse(first.replace(/^data: /, '')) as { version: string };
    const done = await post(
      'lock.change',
      { input: { lock: 'a', places: ['/a'], settings: {}, dynamic: true }, version },
      { cookie, 'dorlin-token': token },
    );
    assert.equal(done.status, 200);
    const second = await heard();
    assert.match(second, /"type":"changed".*"by":"Imke"/);
    await stream.cancel();
  });
});

test('a console that is started listens where it was told to, and is told where the port is taken', async () => {
  const { folder, remove } = await temporaryFolder();
  await writeFiles(folder, { 'dorlin.yaml': 'dorlin: 1\nsite: { name: S, folder: site }\n', 'site/index.html': 'x' });
  const options = {
    policyFile: join(folder, 'dorlin.yaml'),
    host: '127.0.0.1',
    source: { folder: join(folder, 'site') },
    app: join(folder, 'site'),
  };
  const one = await startConsole({ ...options, port: 0, mayMove: false });
  const taken = Number(new URL(one.url).port);
  await assert.rejects(startConsole({ ...options, port: taken, mayMove: false }), { code: 'port-taken' });
  const other = await startConsole({ ...options, port: taken, mayMove: true });
  assert.notEqual(other.url, one.url);
  assert.equal((await fetch(`${one.url}api/session`)).status, 200);
  await one.close();
  await other.close();
  await remove();
});
