import assert from 'node:assert/strict';
import { once } from 'node:events';
import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { test } from 'node:test';
import { makeSnippet } from '../../src/owner/snippet/snippet.js';
import { redisStores } from '../../src/redis.js';
import { policyText, type TestLock } from '../support/policies.js';
import { freePort, lacksProgram, startProgram } from '../support/programs.js';
import { rawExchange } from '../support/raw-http.js';
import { startRedis } from '../support/redis.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { startNginx } from '../support/web-servers.js';

const missing = lacksProgram('redis-server') || lacksProgram('nginx');

test(
  'nginx serves many sites, and each by its own policy, whatever host a visitor names',
  { skip: missing },
  async (context) => {
    const { folder, remove } = await temporaryFolder();
    const redis = await startRedis(folder);
    const client = redis.client();
    await once(client, 'ready');
    const port = await freePort();
    const authorizer = await freePort();
    const locks: Record<string, Record<string, TestLock>> = {
      bittern: { all: { covers: ['/'], passwords: { aa: 'owl' } } },
      heron: { members: { covers: ['/members/'], passwords: { aa: 'owl' } } },
      open: {},
    };
    const texts: string[] = [];
    for (const [id, own] of Object.entries(locks)) {
      const text = await policyText(own, { id, origin: `http://${id}.example`, trustedProxies: ['127.0.0.1/32'] });
      await redisStores(client).sites.put({ id, text, since: 0, hosts: [`${id}.example`] });
      // The third has its pages elsewhere.
      if (id === 'open') continue;
      const site = join(folder, id, 'site');
      await mkdir(site, { recursive: true });
      await writeFiles(site, { 'about.html': `about ${id}`, 'members/log.html': `CANARY of ${id}` });
      const policyFile = join(folder, id, 'dorlin.yaml');
      await writeFile(policyFile, text);
      const order = { folder: site, port, names: [`${id}.example`], authorizer: `127.0.0.1:${authorizer}` };
      const snippet = (await makeSnippet(policyFile, 'nginx', order)).text;
      // One upstream is enough for all of them.
      texts.push(texts.length === 0 ? snippet : snippet.replace(/^upstream dorlin \{[^}]*\}/m, ''));
    }
    const beside = await startProgram(
      process.execPath,
      [
        'dist/node/dorlin.js',
        'authorize',
        '--redis',
        redis.url,
        '--every-site',
        '--port',
        String(authorizer),
        '--json',
      ],
      (said) => said.includes('"listening"'),
    );
    const nginx = await startNginx(folder, `server_names_hash_bucket_size 64;\n${texts.join('\n')}`, port);
    context.after(async () => {
      await nginx.end();
      await beside.end();
      await redis.close();
      await remove();
    });
    const get = async (target: string, ...headers: string[]) => {
      const text = await rawExchange(
        port,
        `${[`GET ${target} HTTP/1.1`, ...headers, 'Connection: close'].join('\r\n')}\r\n\r\n`,
      );
      return { status: Number(/^HTTP\/1\.1 (\d{3})/.exec(text)?.[1]), text };
    };
    assert.match((await get('/about', 'Host: heron.example')).text, /about heron/);
    assert.equal((await get('/members/log', 'Host: heron.example')).status, 403);
    assert.equal((await get('/about', 'Host: bittern.example')).status, 403);
    assert.match((await get('/about', 'Host: HERON.example.')).text, /about heron/);
    const form = 'lock=all&password=owl&to=/about';
    const unlocked = await rawExchange(
      port,
      `POST /_dorlin/unlock HTTP/1.1\r\nHost: bittern.example\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: ${form.length}\r\nConnection: close\r\n\r\n${form}`,
    );
    const cookie = [...unlocked.matchAll(/^set-cookie: ([^;]+)/gim)].map(([, one]) => one).join('; ');
    assert.match((await get('/about', 'Host: bittern.example', `Cookie: ${cookie}`)).text, /about bittern/);
    assert.equal((await get('/members/log', 'Host: heron.example', `Cookie: ${cookie}`)).status, 403);

    // The server is chosen by one reading of the request, and the policy by another.
    const between: [target: string, ...headers: string[]][] = [
      ['http://bittern.example/about', 'Host: heron.example'],
      ['http://bittern.example/about', 'Host: open.example'],
      ['http://bittern.example/members/log', 'Host: heron.example'],
      ['http://heron.example/members/log', 'Host: open.example'],
      ['HTTP://BITTERN.example:80/about', 'Host: open.example'],
      // Known to the guard, and not to nginx, which then serves what it has first: Bittern's.
      ['/about', 'Host: open.example'],
      ['/members/log', 'Host: open.example', 'Dorlin-Site: open'],
      ['/about', 'Host: open.example:8080', 'Dorlin-Site: bittern'],
      ['/about', 'Host: nobody.example'],
      ['/about', 'Host: open.example', 'X-Original-URI: /about', 'X-Forwarded-Host: bittern.example'],
    ];
    for (const [target, ...headers] of between) {
      const { status, text } = await get(target, ...headers);
      assert.doesNotMatch(text, /CANARY|about bittern/, `${target} ${headers.join()}`);
      assert.ok(status >= 400, `${target} ${headers.join()} ${status}`);
    }
    const ask = (...more: string[]) => {
      const lines = ['GET /_dorlin/authorize HTTP/1.1', 'Host: heron.example', 'X-Original-URI: /about', ...more];
      return rawExchange(authorizer, `${lines.join('\r\n')}\r\nX-Original-Method: GET\r\nConnection: close\r\n\r\n`);
    };
    assert.match(await ask('Dorlin-Site: heron'), /^HTTP\/1\.1 204/);
    assert.match(await ask('Dorlin-Site: heron.example'), /^HTTP\/1\.1 204/, 'or its host');
    assert.match(await ask('Dorlin-Site: bittern'), /^HTTP\/1\.1 421/);
    assert.match(await ask(), /^HTTP\/1\.1 421/, 'whoever asks must say for which site');
  },
);
