import assert from 'node:assert/strict';
import { mkdir, writeFile } from 'node:fs/promises';
import { once } from 'node:events';
import { createServer } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { setTimeout as wait } from 'node:timers/promises';
import { makeLink } from '../../src/owner/links.js';
import { rotatePassword } from '../../src/owner/passwords/passwords.js';
import { push } from '../../src/owner/shared.js';
import { policyText } from '../support/policies.js';
import { freePort, lacksProgram, startProgram, type RunningProgram } from '../support/programs.js';
import { startRedis, type RunningRedis } from '../support/redis.js';
import { temporaryFolder, until, writeFiles } from '../support/sites.js';
import { startNginx } from '../support/web-servers.js';

const missing = lacksProgram('redis-server') || lacksProgram('nginx');

describe('two machines behind a balancer, and one Redis: all real programs', { skip: missing }, () => {
  let folder: string;
  let remove: () => Promise<void>;
  let redis: RunningRedis;
  let nginx: RunningProgram;
  let balancer: string;
  const guards: (RunningProgram & { readonly url: string; readonly health: string })[] = [];
  const policyFile = () => join(folder, 'dorlin.yaml');

  const startGuard = async () => {
    const port = await freePort();
    const health = await freePort();
    const args = ['serve', '--redis', redis.url, '--folder', join(folder, 'site'), '--port', String(port), '--json'];
    const running = await startProgram(
      process.execPath,
      ['dist/node/dorlin.js', ...args, '--health-port', String(health), '--policy', policyFile()],
      (said) => said.includes('"listening"'),
    );
    return { ...running, url: `http://127.0.0.1:${port}`, health: `http://127.0.0.1:${health}` };
  };

  before(async () => {
    ({ folder, remove } = await temporaryFolder());
    redis = await startRedis(folder);
    process.env['DORLIN_REDIS'] = redis.url;
    await writeFiles(join(folder, 'site'), {
      'index.html': 'start',
      'about.html': 'about',
      'members/log.html': 'the log CANARY',
    });
    await mkdir(join(folder, '.dorlin'), { recursive: true });
    const locks = {
      members: { covers: ['/members/'], passwords: { aa: 'owl', bb: 'elk' } },
      guests: { covers: ['/guests/'], passwords: { aa: 'owl' } },
    };
    const site = { id: 'many', trustedProxies: ['127.0.0.1/32', '::1/128'] };
    const guessing = { perVisitor: '1000 per 1 hour', perLock: '100 per 1 hour' };
    await writeFile(policyFile(), await policyText(locks, site, { guessing }));
    await push(policyFile());
    guards.push(await startGuard(), await startGuard());
    const port = await freePort();
    balancer = `http://127.0.0.1:${port}`;
    const upstream = guards.map(({ url }) => `  server ${url.slice(7)} max_fails=0;\n`).join('');
    nginx = await startNginx(
      folder,
      `upstream guards {\n${upstream}}
server {
  listen 127.0.0.1:${port};
  location / {
    proxy_pass http://guards;
    proxy_set_header Host $http_host;
    proxy_set_header X-Forwarded-For $proxy_add_x_forwarded_for;
    proxy_next_upstream error timeout non_idempotent;
  }
}`,
      port,
    );
  });
  after(async () => {
    delete process.env['DORLIN_REDIS'];
    await nginx.end();
    for (const guard of guards) await guard.end();
    await redis.close();
    await remove();
  });

  const post = (at: string, path: string, form: Record<string, string>, headers: Record<string, string> = {}) =>
    fetch(`${at}${path}`, { method: 'POST', body: new URLSearchParams(form), redirect: 'manual', headers });
  const guess = (password: string, lock = 'members', from = '192.0.2.1') =>
    post(balancer, '/_dorlin/unlock', { lock, password, to: '/about' }, { 'x-forwarded-for': from });
  const passOf = async (lock = 'members', password = 'owl') => {
    const answer = await guess(password, lock, '198.51.100.9');
    assert.equal(answer.status, 303);
    return answer.headers
      .getSetCookie()
      .map((line) => line.split(';')[0])
      .join('; ');
  };
  const get = async (at: string, path: string, cookie = '') => {
    const answer = await fetch(`${at}${path}`, { redirect: 'manual', headers: { cookie } });
    return { status: answer.status, text: await answer.text() };
  };

  test('a pass of one counts at the other, and both write one journal', async () => {
    const cookie = await passOf();
    for (const { url } of guards) assert.match((await get(url, '/members/log', cookie)).text, /CANARY/);
    for (const { health } of guards) {
      assert.equal((await get(health, '/_dorlin/ready')).text, 'ready\n');
      const { text } = await get(health, '/metrics');
      assert.match(text, /^dorlin_policy_version 1$/m);
      assert.match(text, /^dorlin_visits_total\{verdict="let-in"\} 1$/m);
      assert.match(text, /^dorlin_store_up 1$/m);
    }
  });

  test('of thousands of guesses through both at once, exactly as many are tried as the budget has', async () => {
    const counts = new Map<number, number>();
    for (let wave = 0; wave < 10 && (counts.get(403) ?? 0) < 100; wave++) {
      const answers = Array.from({ length: 1000 }, (_, at) => guess(`wrong ${at}`, 'guests', `192.0.2.${at % 200}`));
      for (const { status } of await Promise.all(answers)) counts.set(status, (counts.get(status) ?? 0) + 1);
    }
    assert.equal(counts.get(403), 100);
    assert.deepEqual(
      [...counts.keys()].filter((status) => ![403, 429, 503].includes(status)),
      [],
    );
  });

  test('a rotated password is out at both within a second', async () => {
    const cookie = await passOf('members', 'elk');
    for (const { url } of guards) assert.equal((await get(url, '/members/log', cookie)).status, 200);
    await rotatePassword(policyFile(), 'members', 'bb', { password: { words: 4 } });
    const start = performance.now();
    for (const { url } of guards) await until(async () => (await get(url, '/members/log', cookie)).status === 403);
    assert.ok(performance.now() - start < 1000);
  });

  test('Redis is killed and comes back under load: nobody wrong is let in, nobody who is in is put out, no use is lost', async () => {
    const uses = 12;
    const order = { label: 'Guests', uses, until: '2099-01-01' };
    const { address } = (await makeLink(policyFile(), 'members', order, { origin: balancer })).handedOut;
    const token = new URL(address).searchParams.get('link') ?? new URL(address).hash.slice(1);
    await until(async () => (await fetch(address, { redirect: 'manual' })).status === 200);
    const cookie = await passOf();
    const outcomes = { in: 0, guesses: new Map<number, number>(), entered: 0, dead: 0 };
    let isOver = false;
    const visitors = async () => {
      while (!isOver) {
        assert.equal((await get(balancer, '/members/log', cookie)).status, 200);
        assert.equal((await get(balancer, '/about')).status, 200);
        assert.equal((await get(balancer, '/members/log')).status, 403);
        outcomes.in++;
      }
    };
    const guessers = async () => {
      for (let at = 0; !isOver; at++) {
        const { status } = await guess(`wrong ${at}`);
        outcomes.guesses.set(status, (outcomes.guesses.get(status) ?? 0) + 1);
        assert.notEqual(status, 303);
        await wait(20);
      }
    };
    // Each comes again until it is told that the link is used up, or it is in.
    const guest = async () => {
      for (;;) {
        const { status } = await post(balancer, '/_dorlin/enter', { link: token }).catch(() => ({ status: 0 }));
        if (status === 303) outcomes.entered++;
        if (status === 403) outcomes.dead++;
        if (status === 303 || status === 403) return;
        assert.ok([503, 502, 0].includes(status), String(status));
        await wait(200);
      }
    };
    const load = [visitors(), visitors(), guessers(), guessers()];
    const guests: Promise<void>[] = [];
    for (let turn = 0; turn < 3; turn++) {
      for (let at = 0; at < 6; at++) guests.push(guest());
      await redis.kill();
      for (let at = 0; at < 2; at++) guests.push(guest());
      await wait(1500);
      await redis.start();
      await wait(500);
    }
    await Promise.all(guests);
    isOver = true;
    await Promise.all(load);
    assert.equal(outcomes.entered, uses);
    assert.equal(outcomes.dead, 24 - uses);
    assert.ok((outcomes.guesses.get(503) ?? 0) > 0, 'guesses were refused');
    assert.deepEqual(
      [...outcomes.guesses.keys()].filter((status) => ![403, 429, 503].includes(status)),
      [],
    );
    for (const { said } of guards) await until(() => /"type":"store-away"[^]*"type":"store-back"/.test(said()));
    await until(async () => (await get((guards[0] as { health: string }).health, '/_dorlin/ready')).text === 'ready\n');
  });

  test('one is killed under load, and no answer is wrong', async () => {
    const cookie = await passOf();
    let isOver = false;
    const visitors = async () => {
      while (!isOver) {
        assert.match((await get(balancer, '/members/log', cookie)).text, /CANARY/);
        assert.equal((await get(balancer, '/members/log')).status, 403);
      }
    };
    const load = [visitors(), visitors(), visitors()];
    await wait(200);
    const [first] = guards;
    process.kill(first?.pid ?? 0, 'SIGKILL');
    await wait(500);
    isOver = true;
    await Promise.all(load);
  });
});

test('told to end, a service takes nothing new and cuts nothing short', async (context) => {
  const { folder, remove } = await temporaryFolder();
  context.after(remove);
  const slow = createServer((request, response) => {
    response.write('begun ');
    setTimeout(() => response.end('ended'), request.url === '/slow' ? 1500 : 0);
  }).listen(0, '127.0.0.1');
  await once(slow, 'listening');
  context.after(() => slow.close());
  const { port } = slow.address() as AddressInfo;
  await writeFile(join(folder, 'dorlin.yaml'), await policyText({ members: { covers: ['/members/'] } }));
  const health = await freePort();
  const at = await freePort();
  const args = [
    'serve',
    '--to',
    `http://127.0.0.1:${port}`,
    '--port',
    String(at),
    '--json',
    '--log',
    join(folder, 'service.log'),
  ];
  const running = await startProgram(
    process.execPath,
    [
      join(process.cwd(), 'dist/node/dorlin.js'),
      ...args,
      '--health-port',
      String(health),
      '--policy',
      join(folder, 'dorlin.yaml'),
    ],
    (said) => said.includes('"listening"'),
  );
  const answers = ['/slow', '/slow', '/quick'].map(async (path) =>
    (await fetch(`http://127.0.0.1:${at}${path}`)).text(),
  );
  await wait(300);
  process.kill(running.pid ?? 0, 'SIGTERM');
  await until(
    async () =>
      (await fetch(`http://127.0.0.1:${health}/_dorlin/ready`).then(
        ({ status }) => status,
        () => 0,
      )) === 503,
  );
  await assert.rejects(once(connect(at, '127.0.0.1'), 'connect'), { code: 'ECONNREFUSED' });
  assert.deepEqual(await Promise.all(answers), ['begun ended', 'begun ended', 'begun ended']);
  await running.end();
});
