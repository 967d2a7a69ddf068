import assert from 'node:assert/strict';
import { createServer, request, type IncomingHttpHeaders } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { startFrame, type SiteFrame } from '../../src/console/frame.js';
import { cheapHash } from '../support/policies.js';
import { rawClient } from '../support/raw-http.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

describe('the site in a frame, as somebody else gets it', () => {
  let frame: SiteFrame;
  let remove: () => Promise<void>;
  before(async () => {
    const made = await temporaryFolder();
    ({ remove } = made);
    await writeFiles(made.folder, {
      'site/index.html': '<title>Start</title><script>document.cookie="x=1"</script>',
      'site/members/index.html': '<p>CANARY</p>',
      'site/picture.png': 'png',
      'dorlin.yaml': `dorlin: 1\nsite: { name: S, folder: site }\nlocks:\n  members:\n    covers: [/members/]\n    bypass: [office]\n    passwords: [{ id: abcd, label: A, hash: "${await cheapHash('right')}" }]\nbypasses: { office: { addresses: [203.0.113.7] } }\n`,
    });
    frame = await startFrame(join(made.folder, 'dorlin.yaml'), { folder: join(made.folder, 'site') }, () => [
      'http://127.0.0.1:4290',
    ]);
  });
  after(async () => {
    await frame.close();
    await remove();
  });
  const get = async (
    origin: string | undefined,
    path: string,
    headers: Readonly<Record<string, string>> = {},
    method = 'GET',
  ) => {
    const client = rawClient(frame.port);
    const { host } = new URL(origin ?? 'http://x');
    const { head, body } = await client.request(path, method, { host, accept: 'text/html', ...headers });
    client.close();
    return `${head}\r\n\r\n${body}`;
  };
  /** What a form of a framed page sends. */
  const post = (origin: string, path: string, body: string) =>
    new Promise<string>((resolve, reject) => {
      const headers = { host: new URL(origin).host, 'content-type': 'application/x-www-form-urlencoded' };
      request({ port: frame.port, host: '127.0.0.1', path, method: 'POST', headers }, (response) => {
        response.resume().on('end', () => {
          const { date, ...told } = response.headers;
          assert.ok(date);
          resolve(JSON.stringify([response.statusCode, told]));
        });
      })
        .on('error', reject)
        .end(body);
    });

  test('each is played by a host name that nobody can guess; no other is answered', async () => {
    const stranger = frame.playAs?.({ isDraft: false, seenBy: {} });
    const guest = frame.playAs?.({ isDraft: false, seenBy: { opened: ['members'] } });
    const office = frame.playAs?.({ isDraft: false, seenBy: { from: '203.0.113.7' } });
    assert.notEqual(stranger, guest);
    assert.doesNotMatch(await get(stranger, '/members/'), /CANARY/);
    assert.match(await get(guest, '/members/'), /CANARY/);
    assert.match(await get(office, '/members/'), /CANARY/);
    assert.match(await get(stranger, '/'), /Start/);
    for (const host of [
      `localhost:${frame.port}`,
      `127.0.0.1:${frame.port}`,
      `${'a'.repeat(26)}.localhost:${frame.port}`,
      `x.${new URL(guest ?? '').host}`,
    ]) {
      const answer = await get(`http://${host}`, '/members/');
      assert.match(answer, /^HTTP\/1\.1 404/, host);
      assert.doesNotMatch(answer, /CANARY|Start/, host);
    }
  });

  test('nothing that the browser brings makes a visitor of it, and no cookie is set', async () => {
    const stranger = frame.playAs?.({ isDraft: false, seenBy: {} });
    for (const [name, value] of [
      ['cookie', 'dorlin-console=x; __Host-dorlin=y'],
      ['authorization', 'Basic OnJpZ2h0'],
      ['x-forwarded-for', '203.0.113.7'],
      ['forwarded', 'for=203.0.113.7'],
      ['range', 'bytes=0-10'],
    ] as const) {
      assert.doesNotMatch(await get(stranger, '/members/', { [name]: value }), /CANARY/, name);
    }
    for (const target of [
      '/members',
      '/MEMBERS/index.html',
      '//members/',
      '/x/../members/',
      '/members/%2e',
      'http://localhost/members/',
    ])
      assert.doesNotMatch(await get(stranger, target), /CANARY/, target);
    const unlocked = await post(stranger ?? '', '/_dorlin/unlock', 'password=right&lock=members&to=/members');
    assert.doesNotMatch(unlocked, /set-cookie/i);
  });

  test('nothing is sent in there: no password can be tried, however often, and the site itself gets no form', async () => {
    const stranger = frame.playAs?.({ isDraft: false, seenBy: {} }) ?? '';
    const answers = new Set<string>();
    for (const password of ['right', 'wrong', ...Array.from({ length: 120 }, (_, at) => `guess ${at}`)]) {
      const told = await post(stranger, '/_dorlin/unlock', `password=${password}&lock=members&to=/members/`);
      answers.add(told);
    }
    assert.equal(answers.size, 1, 'a right one is answered as a wrong one');
    for (const method of ['PUT', 'DELETE', 'PATCH', 'OPTIONS', 'TRACE']) {
      assert.match(await get(stranger, '/', {}, method), /^HTTP\/1\.1 405/, method);
    }
  });

  test('a handshake that is reset, and one that is not, end nothing', async () => {
    for (let round = 0; round < 20; round++) {
      await new Promise<void>((done) => {
        const socket = connect(frame.port, '127.0.0.1', () => {
          socket.write('GET / HTTP/1.1\r\nHost: x\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n', () => {
            socket.resetAndDestroy();
            done();
          });
        });
        socket.on('error', () => undefined);
      });
    }
    assert.match(await get(frame.playAs?.({ isDraft: false, seenBy: {} }), '/'), /Start/);
  });

  test('pages have no origin there, the picker in them, and are framed by the console alone', async () => {
    const stranger = frame.playAs?.({ isDraft: false, seenBy: {} });
    for (const path of ['/', '/members/', '/nothing']) {
      const answer = await get(stranger, path);
      assert.match(
        answer,
        /content-security-policy: sandbox allow-scripts allow-forms; frame-ancestors http:\/\/127\.0\.0\.1:4290\r\n/i,
        path,
      );
      assert.equal(answer.match(/content-security-policy:/gi)?.length, 1, path);
      assert.doesNotMatch(answer, /x-frame-options|allow-same-origin|access-control-allow/i, path);
      if (path !== '/nothing') assert.match(answer, /referrer-policy: no-referrer/i, path);
      assert.match(answer, path === '/nothing' ? /404/ : /_dorlin-picker\.js/, path);
    }
    const picture = await get(stranger, '/picture.png');
    assert.match(picture, /\r\n\r\npng$/);
    assert.match(await get(stranger, '/_dorlin-picker.js'), /postMessage/);
  });
});

describe('the frame before a server that runs', () => {
  test('it is not told where it is shown, gets no form, and no page of it takes memory without end', async () => {
    const seen: IncomingHttpHeaders[] = [];
    const site = createServer((request, response) => {
      seen.push(request.headers);
      response.writeHead(200, { 'content-type': 'text/html' });
      if (request.url !== '/endless') {
        response.end('<p>Here</p>');
        return;
      }
      const more = () => {
        while (!response.destroyed && response.write('x'.repeat(65_536)));
      };
      response.on('drain', more);
      more();
    });
    await new Promise<void>((listening) => site.listen(0, '127.0.0.1', listening));
    const { port } = site.address() as AddressInfo;
    const made = await temporaryFolder();
    await writeFiles(made.folder, { 'dorlin.yaml': 'dorlin: 1\nsite: { name: S }\n' });
    const frame = await startFrame(join(made.folder, 'dorlin.yaml'), { to: `http://127.0.0.1:${port}` }, () => [
      'http://127.0.0.1:4290',
    ]);
    const origin = frame.playAs?.({ isDraft: false, seenBy: {} }) ?? '';
    const client = rawClient(frame.port);
    const headers = {
      host: new URL(origin).host,
      referer: `${origin}/x`,
      origin,
      cookie: 'dorlin-console=x',
      authorization: 'Basic x',
    };
    assert.match((await client.request('/', 'GET', headers)).body, /Here[^]*picker/);
    const token = new URL(origin).host.split('.', 1)[0] ?? '';
    assert.equal(JSON.stringify(seen).includes(token), false, JSON.stringify(seen));
    assert.equal(JSON.stringify(seen).includes('dorlin-console'), false);
    assert.equal((await client.request('/endless', 'GET', headers)).status, 0, 'broken off');
    client.close();
    await frame.close();
    site.closeAllConnections();
    site.close();
    await made.remove();
  });
});
