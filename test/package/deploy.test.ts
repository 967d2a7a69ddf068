import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { chmod, mkdir, readdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { describe, test } from 'node:test';
import { execa } from 'execa';
import { repository } from '../support/command-line.js';
import { policyText } from '../support/policies.js';
import { freePort, lacksProgram } from '../support/programs.js';
import { temporaryFolder, until, writeFiles } from '../support/sites.js';

const deploy = join(repository, 'docs/deploy');
const read = (name: string) => readFile(join(deploy, name), 'utf8');
const program = join(repository, 'dist/node/dorlin.js');

/** Runs what a unit or a container file says, in a folder of a site, as somebody who is nobody else. */
async function serves(words: readonly string[], healthCheck?: readonly string[]): Promise<void> {
  const { folder, remove } = await temporaryFolder();
  const port = await freePort();
  const health = await freePort();
  const secret = join(folder, 'the-secret');
  const withPorts = (all: readonly string[]) =>
    all.map((word) => word.replaceAll('8080', String(port)).replaceAll('9090', String(health)));
  await writeFiles(join(folder, 'dist'), { 'index.html': 'start', 'members/log.html': 'CANARY' });
  await writeFile(
    join(folder, 'dorlin.yaml'),
    await policyText({ members: { covers: ['/members/'] } }, { folder: 'dist' }),
  );
  await writeFile(secret, 'a secret that systemd or a container hands in\n');
  await mkdir(join(folder, '.dorlin'), { recursive: true });
  const isRoot = process.getuid?.() === 0;
  const nobody = isRoot ? { uid: 10001, gid: 10001 } : {};
  if (isRoot) spawnSync('chown', ['-R', '10001:10001', folder]);
  await chmod(folder, 0o755);
  const running = execa(process.execPath, [program, ...withPorts(words)], {
    cwd: folder,
    reject: false,
    ...nobody,
    env: { DORLIN_SECRET_FILE: secret, DORLIN_SECRET: '' },
    timeout: 60_000,
  });
  try {
    const statusAt = (at: number, path: string) =>
      fetch(`http://127.0.0.1:${at}${path}`).then(
        ({ status }) => status,
        () => 0,
      );
    await until(async () => (await statusAt(health, '/_dorlin/ready')) === 200);
    assert.equal(await statusAt(port, '/'), 200);
    assert.equal(await statusAt(port, '/members/log'), 403);
    assert.equal(await statusAt(health, '/metrics'), 200);
    if (healthCheck !== undefined) {
      const [command = '', ...args] = withPorts(healthCheck);
      assert.equal((await execa(command, args)).exitCode, 0);
      running.kill('SIGTERM');
      await running;
      assert.equal((await execa(command, args, { reject: false })).exitCode, 1);
    }
    assert.equal((await readdir(join(folder, '.dorlin'))).includes('secret'), false, 'the secret was handed in');
  } finally {
    running.kill('SIGTERM');
    const { exitCode, stdout } = await running;
    assert.equal(exitCode, 0);
    assert.match(stdout, /"level":"info".*"type":"listening"/);
    await remove();
  }
}

describe('what docs/deploy holds', () => {
  test('the unit is one for systemd', { skip: lacksProgram('systemd-analyze') }, async (context) => {
    const { folder, remove } = await temporaryFolder();
    context.after(remove);
    // With the Node and the user that there are here.
    const text = (await read('dorlin.service'))
      .replace('/usr/bin/node', process.execPath)
      .replace(/^(?:User|Group)=.*$/gm, '');
    await writeFile(join(folder, 'dorlin.service'), text);
    const { stdout, stderr, exitCode } = await execa('systemd-analyze', ['verify', join(folder, 'dorlin.service')], {
      reject: false,
    });
    assert.deepEqual({ stdout, stderr, exitCode }, { stdout: '', stderr: '', exitCode: 0 });
  });

  test('what the unit starts serves, and ends when it is told', async () => {
    const [, words = ''] = /^ExecStart=\/usr\/bin\/node node_modules\/dorlin\/dist\/node\/dorlin\.js (.*)$/m.exec(
      await read('dorlin.service'),
    ) ?? [''];
    await serves(words.split(' '));
  });

  test('what the container starts serves as nobody, and its health check tells', async () => {
    const text = await read('Containerfile');
    const list = (name: string) =>
      JSON.parse(new RegExp(`^${name} (\\[.*\\])$`, 'm').exec(text)?.[1] ?? '') as string[];
    assert.deepEqual(list('ENTRYPOINT'), ['node', '/app/node_modules/dorlin/dist/node/dorlin.js']);
    const { version } = JSON.parse(await readFile(join(repository, 'package.json'), 'utf8')) as { version: string };
    assert.ok(text.includes(`dorlin@${version} `), 'it installs this version');
    await serves(list('CMD'), list('HEALTHCHECK CMD'));
  });

  test('every page has its drawing, and the drawings are as they are made', async () => {
    const names = await readdir(deploy);
    for (const name of names.filter((one) => one.endsWith('.md') && one !== 'README.md')) {
      const [, drawing = ''] = /^!\[[^\]]{20,}\]\(([a-z-]+\.svg)\)$/m.exec(await read(name)) ?? [];
      assert.ok(names.includes(drawing), name);
    }
    await execa(process.execPath, ['--import', 'tsx', 'scripts/drawings.ts', '--check'], { cwd: repository });
  });
});
