import assert from 'node:assert/strict';
import { request } from 'node:http';
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
  const get = async (origin: string | undefined, path: string, headers: Readonly<Record<string, string>> = {}) => {
    const client = rawClient(frame.port);
    const { host } = new URL(origin ?? 'http://x');
    const { head, body } = await client.request(path, 'GET', { host, accept: 'text/html', ...headers });
    client.close();
    return `${head}\r\n\r\n${body}`;
  };
  /** What a form of a framed page sends. */
  const post = (origin: string, path: string, body: string) =>
    new Promise<string>((resolve, reject) => {
      const headers = { host: new URL(origin).host, 'content-type': 'application/x-www-form-urlencoded' };
      request({ port: frame.port, host: '127.0.0.1', path, method: 'POST', headers }, (response) => {
        response.resume().on('end', () => {
          resolve(JSON.stringify(response.headers));
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
