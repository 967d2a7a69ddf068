// `npm test`: installs what it needs and runs everything. Each step must pass.
import { spawnSync } from 'node:child_process';
import { readdirSync } from 'node:fs';
import { chdir } from 'node:process';
import { fileURLToPath } from 'node:url';
import { buildAll, installPackages, installPrograms, run } from './setup.mjs';

chdir(fileURLToPath(new URL('..', import.meta.url)));
const inCi = process.env.CI === 'true';
// What the tests need beyond Node: program → Debian package.
const programs = {
  chromium: 'chromium',
  htpasswd: 'apache2-utils',
  java: 'default-jre-headless',
  nginx: 'nginx-light',
  python3: 'python3',
};

const step = (name, work) => {
  const start = Date.now();
  console.log(`\n— ${name}`);
  work();
  console.log(`  ${((Date.now() - start) / 1000).toFixed(1)} s`);
};
const npx = (...args) => run('npx', ['--no-install', ...args]);

step('packages', installPackages);
let missing = [];
step('programs', () => {
  missing = installPrograms(programs);
  for (const program of missing) {
    console.log(`  ${program} is missing and could not be installed: its suites are skipped`);
  }
  if (inCi && missing.length > 0) process.exit(1);
});
step('build', buildAll);
step('format', () => npx('prettier', '--check', '--log-level', 'warn', '.'));
step('lint', () => npx('eslint', '.', '--max-warnings', '0'));
step('types', () => {
  for (const part of ['core', 'browser']) npx('tsc', '-p', `tsconfig.${part}.json`);
  npx('tsc', '-p', 'tsconfig.json');
});
step('arrows', () => npx('depcruise', '--config', '.dependency-cruiser.cjs', 'src'));
step('unused', () => npx('knip'));
step('package', () => {
  npx('publint', '--strict');
  npx('attw', '--pack', '.', '--profile', 'esm-only', '--format', 'ascii', '--quiet');
});
step('documents', () => npx('tsx', 'scripts/docs.ts', '--check'));
step('ratio', () => npx('tsx', 'scripts/ratio.ts'));
step('attack', () => {
  // Old readers of addresses, played on purpose, warn at each of the odd ones.
  const quietly = ['--no-deprecation', '--import', 'tsx'];
  run(process.execPath, [...quietly, 'test/attack/run.ts', '--seconds', '60']);
});
step('tests', () => {
  const files = readdirSync('test', { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.test.ts'))
    .map((name) => `test/${name}`)
    .sort();
  // The runner answers 0 to an empty list.
  if (files.length === 0) throw new Error('there are no tests');
  const { status } = spawnSync(
    process.execPath,
    ['--import', 'tsx', '--test', '--test-reporter', 'spec', ...files],
    { stdio: 'inherit', env: { ...process.env, DORLIN_MISSING: missing.join(',') } },
  );
  if (status !== 0) process.exit(status ?? 1);
});
