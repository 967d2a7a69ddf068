// `npm test`: installs what it needs and runs everything. Each step must pass.
import { spawn } from 'node:child_process';
import { readdirSync } from 'node:fs';
import { chdir } from 'node:process';
import { fileURLToPath } from 'node:url';
import { installRuntimes } from './runtimes.mjs';
import { buildAll, installPackages, installPrograms } from './setup.mjs';

chdir(fileURLToPath(new URL('..', import.meta.url)));
const inCi = process.env.CI === 'true';
// What the tests need beyond Node: program → Debian package.
const programs = {
  caddy: 'caddy',
  // The first is the same browser without windows: it takes half the time.
  'chromium-headless-shell|chromium': 'chromium-headless-shell',
  'firefox-esr': 'firefox-esr',
  htpasswd: 'apache2-utils',
  java: 'default-jre-headless',
  nginx: 'nginx-light',
  openssl: 'openssl',
  python3: 'python3',
  'redis-server': 'redis-server',
  'systemd-analyze': 'systemd',
};

const seconds = (start) => `${((Date.now() - start) / 1000).toFixed(1)} s`;
const step = async (name, work) => {
  const start = Date.now();
  console.log(`\n— ${name}`);
  await work();
  console.log(`  ${seconds(start)}`);
};

let isOver = false;
/** Runs a command beside others: what it says is shown at once when it ends, so that it can be read. */
const beside = (name, command, args) =>
  new Promise((resolve) => {
    const start = Date.now();
    const child = spawn(command, args, { stdio: ['ignore', 'pipe', 'pipe'] });
    running.add(child);
    const said = [];
    for (const stream of [child.stdout, child.stderr]) stream.on('data', (data) => said.push(data));
    child.on('close', (code) => {
      running.delete(child);
      if (isOver) return;
      console.log(`\n— ${name}\n${Buffer.concat(said).toString().trim()}\n  ${seconds(start)}`);
      if (code !== 0) fail(`${name} failed`);
      resolve();
    });
  });
const running = new Set();
const fail = (why) => {
  isOver = true;
  // What goes on beside would go on without anybody to tell.
  for (const child of running) child.kill();
  console.error(`\n${why}`);
  process.exit(1);
};
const npx = (name, ...args) => beside(name, 'npx', ['--no-install', ...args]);

/** What looks at the sources, one after the other: there are two cores, and the tests are on the other. */
const looks = async () => {
  await npx('format', 'prettier', '--check', '--log-level', 'warn', '--cache', '.');
  await npx('lint', 'eslint', '.', '--max-warnings', '0', '--cache', '--cache-location', '.cache/eslint');
  await beside('types', process.execPath, ['scripts/types.mjs']);
  await npx('arrows', 'depcruise', '--config', '.dependency-cruiser.cjs', 'src');
  await npx('unused', 'knip');
  await npx('package', 'publint', '--strict');
  await npx('package types', 'attw', '--pack', '.', '--profile', 'esm-only', '--format', 'ascii', '--quiet');
  await npx('documents', 'tsx', 'scripts/docs.ts', '--check');
  await npx('ratio', 'tsx', 'scripts/ratio.ts');
  // Old readers of addresses, played on purpose, warn at each of the odd ones.
  const quietly = ['--no-deprecation', '--import', 'tsx'];
  await beside('attack', process.execPath, [...quietly, 'test/attack/run.ts', '--seconds', '60']);
};

const tests = async () => {
  const nameOf = await compileTests();
  const files = readdirSync('test', { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.test.ts'))
    .map((name) => nameOf(`test/${name}`))
    .sort();
  // The runner answers 0 to an empty list.
  if (files.length === 0) fail('there are no tests');
  await testIn(process.execPath, files, 'spec');
  // What meets the runtime most, in the lines of Node that are maintained as well.
  const deep = files.filter((name) => /\/test\/(?:core|guard|server)\//.test(name));
  const { runtimePath } = await import(`../${nameOf('test/support/runtimes.ts')}`);
  for (const line of ['node24', 'node26']) {
    if (missing.includes(line)) continue;
    await step(`tests of core, guard and server in ${line}`, () => testIn(runtimePath(line), deep, 'dot'));
  }
};

/** Runs compiled tests in a Node. */
const testIn = async (node, files, reporter) => {
  const args = ['--test', '--test-reporter', reporter, '--test-concurrency', '2', ...files];
  const env = { ...process.env, DORLIN_MISSING: missing.join(',') };
  const child = spawn(node, args, { stdio: 'inherit', env });
  running.add(child);
  const code = await new Promise((resolve) => child.on('close', resolve));
  running.delete(child);
  if (code !== 0 && !isOver) fail('tests failed');
};

await step('packages', installPackages);
let missing = [];
await step('programs', () => {
  missing = [...installPrograms(programs), ...installRuntimes()];
  for (const program of missing) {
    console.log(`  ${program} is missing and could not be installed: its suites are skipped`);
  }
  if (inCi && missing.length > 0) process.exit(1);
});
await step('build', buildAll);
// After the packages are there.
const { compileTests } = await import('./compile-tests.mjs');
await step('looks and tests', () => Promise.all([looks(), tests()]));
