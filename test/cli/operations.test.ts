import assert from 'node:assert/strict';
import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { createServer } from 'node:http';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { Health, healthListener } from '../../src/server/health.js';
import { dorlin, endAll, following } from '../support/command-line.js';
import { policyText } from '../support/policies.js';
import { freePort } from '../support/programs.js';
import { temporaryFolder, until, writeFiles } from '../support/sites.js';

describe('a service, as it is watched', () => {
  let folder: string;
  let remove: () => Promise<void>;
  before(async () => {
    ({ folder, remove } = await temporaryFolder());
    await writeFiles(join(folder, 'dist'), { 'index.html': 'start', 'members/log.html': 'log' });
    await writeFile(
      join(folder, 'dorlin.yaml'),
      await policyText(
        { members: { covers: ['/members/'], passwords: { aa: 'owl' } } },
        { folder: 'dist', id: 'watched' },
      ),
    );
  });
  after(async () => {
    endAll();
    await remove();
  });
  const linesIn = async (file: string) =>
    (await readFile(file, 'utf8').catch(() => ''))
      .split('\n')
      .filter((line) => line !== '')
      .map((line) => JSON.parse(line) as Record<string, unknown>);

  test('its log says what happened, in lines for collectors, and is opened anew where it was moved', async () => {
    const port = await freePort();
    const health = await freePort();
    const log = join(folder, 'logs/site.log');
    const running = following(folder, [
      'serve',
      ...['--port', String(port), '--health-port', String(health), '--health', '--log', log],
    ]);
    const get = async (at: number, path: string) => {
      const answer = await fetch(`http://127.0.0.1:${at}${path}`);
      return { status: answer.status, text: await answer.text() };
    };
    await until(async () => (await get(health, '/_dorlin/ready').catch(() => undefined))?.status === 200);
    await get(port, '/members/log?secret=1');
    const body = new URLSearchParams({ lock: 'members', password: 'a wrong one' });
    await fetch(`http://127.0.0.1:${port}/_dorlin/unlock`, { method: 'POST', body });
    await until(async () => (await linesIn(log)).some(({ type }) => type === 'wrong'));
    const [listening, asked, wrong] = await linesIn(log);
    assert.deepEqual([listening?.['type'], listening?.['level']], ['listening', 'info']);
    assert.match(String(asked?.['time']), /^\d{4}-\d\d-\d\dT[\d:.]+Z$/);
    assert.deepEqual(
      { ...asked, time: 0, pid: 0 },
      {
        level: 'info',
        time: 0,
        pid: 0,
        site: 'watched',
        type: 'asked',
        lock: 'members',
        path: '/members/log',
        address: '127.0.0.0/24',
      },
    );
    assert.equal(wrong?.['level'], 'warn');
    const written = await readFile(log, 'utf8');
    assert.doesNotMatch(written, /a wrong one|secret=1|argon2|127\.0\.0\.1"/);

    await rename(log, `${log}.1`);
    running.child.kill('SIGHUP');
    await until(async () => {
      await get(port, '/members/log');
      return (await linesIn(log)).length > 0;
    });
    const { text } = await get(health, '/metrics');
    assert.match(text, /^dorlin_visits_total\{verdict="answer 403"\} [2-9]/m);
    assert.match(text, /^dorlin_events_total\{type="wrong"\} 1$/m);
    assert.match(text, /^dorlin_verdict_seconds_count \d+$/m);
    assert.doesNotMatch(text, /members|127\.0\.0/, 'nothing of one visitor, or one place');

    // A broken policy is said to who looks after it, and not to visitors.
    const policy = await readFile(join(folder, 'dorlin.yaml'), 'utf8');
    await writeFile(join(folder, 'dorlin.yaml'), 'dorlin: 1\nsite: 3\n');
    await until(async () => (await get(health, '/_dorlin/ready')).text.includes('broken'));
    assert.deepEqual(await get(port, '/_dorlin/ready'), { status: 200, text: 'ready\n' });
    assert.deepEqual(await get(port, '/_dorlin/alive'), { status: 200, text: 'alive\n' });
    assert.equal((await get(port, '/metrics')).status, 404);
    await writeFile(join(folder, 'dorlin.yaml'), policy.replace('/members/', '/members-only/'));
    await until(async () => (await get(health, '/_dorlin/ready')).text === 'ready\n');
    assert.equal(await running.end('SIGTERM'), 0);
    assert.equal((await linesIn(log)).at(-1)?.['type'], 'policy-changed');
  });

  test('told to end while a file is written, it ends as ever', async () => {
    // Who writes files whole listens for signals too; and each change of the policy has one written.
    const file = join(folder, 'dorlin.yaml');
    const policy = await readFile(file, 'utf8');
    for (let turn = 0; turn < 6; turn++) {
      const port = await freePort();
      const running = following(folder, ['serve', '--port', String(port)]);
      await until(() => running.printed().includes('Ctrl-C'));
      for (let change = 0; change < 4; change++) await writeFile(file, `${policy}\n# ${turn} ${change}\n`);
      await until(() => running.printed().includes('the policy changed'));
      assert.equal(await running.end('SIGTERM'), 0);
    }
    await writeFile(file, policy);
  });

  test('without being asked it tells nothing at the site’s own port', async () => {
    const port = await freePort();
    const running = following(folder, ['serve', '--port', String(port)]);
    await until(async () =>
      fetch(`http://127.0.0.1:${port}/`).then(
        ({ ok }) => ok,
        () => false,
      ),
    );
    for (const path of ['/_dorlin/ready', '/_dorlin/alive', '/metrics'])
      assert.equal((await fetch(`http://127.0.0.1:${port}${path}`)).status, 404, path);
    assert.equal(await running.end('SIGTERM'), 0);
  });

  test('what cannot start is said, and nothing of it goes on', async () => {
    await mkdir(join(folder, 'a-folder'));
    const taken = createServer().listen(0, '127.0.0.1');
    await until(() => taken.listening);
    const port = String((taken.address() as { port: number }).port);
    // What was started before would keep the process alive, and deaf: it listens for signals already.
    const log = ['--log', join(folder, 'logs/never.log')];
    const health = ['--health-port', '0'];
    for (const [words, said] of [
      [['serve', '--port', '0', '--log', 'a-folder'], /a-folder cannot be written/],
      [['serve', '--port', '0', ...log, '--health-port', port], /is taken/],
      [['serve', '--port', port, ...log, ...health], /is taken/],
      [['serve', '--port', '0', ...log, ...health, '--console', port], /is taken/],
      [['authorize', '--port', port, ...log, ...health], /is taken/],
      [['serve', '--port', '0', ...health, '--to', 'http://127.0.0.1:1', '--folder', 'dist'], /cannot both be/],
    ] as const) {
      const { exitCode, stderr } = await dorlin(folder, words);
      assert.equal(exitCode, 2, words.join(' '));
      assert.match(stderr, said, words.join(' '));
    }
    taken.close();
  });

  test('who asks otherwise than by GET is told how', async () => {
    const server = createServer(
      healthListener({ health: new Health(), metrics: () => Promise.reject(new Error('x')) }),
    );
    server.listen(0, '127.0.0.1');
    await until(() => server.listening);
    const { port } = server.address() as { port: number };
    const status = async (path: string, method = 'GET') =>
      (await fetch(`http://127.0.0.1:${port}${path}`, { method })).status;
    assert.deepEqual(
      [
        await status('/_dorlin/ready'),
        await status('/_dorlin/alive', 'HEAD'),
        await status('/_dorlin/alive', 'POST'),
        await status('/metrics'),
        await status('/'),
      ],
      [503, 200, 405, 500, 404],
    );
    server.close();
  });
});
