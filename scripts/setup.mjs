// What both README commands do first, on a fresh machine too. Plain Node: nothing is installed yet.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';

const stamp = 'node_modules/.dorlin-installed';

/** Runs a command and ends this process if it fails. */
export function run(command, args, options = {}) {
  const { status, signal } = spawnSync(command, args, { stdio: 'inherit', ...options });
  if (status !== 0) {
    console.error(`\n${command} ${args.join(' ')} failed${signal ? ` (${signal})` : ''}`);
    process.exit(status ?? 1);
  }
}

/** Installs the npm packages of the lock file, unless that was done already. */
export function installPackages() {
  const wanted = createHash('sha256').update(readFileSync('package-lock.json')).digest('hex');
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return;
  console.log('Installing npm packages …');
  run('npm', ['ci', '--no-audit', '--no-fund', '--loglevel', 'error']);
  mkdirSync('node_modules', { recursive: true });
  writeFileSync(stamp, wanted);
}

/** Builds the package, with the demo site and the console in it. */
export function buildAll() {
  run('npm', ['run', '--silent', 'build:demo']);
  run(process.execPath, ['scripts/build.mjs']);
  // It is built on the package, and then goes into it.
  run('npm', ['run', '--silent', 'build:console']);
  run(process.execPath, ['scripts/build.mjs', '--console-alone']);
}

const has = (program) => spawnSync('sh', ['-c', `command -v ${program}`], { stdio: 'ignore' }).status === 0;

/**
 * Installs Debian packages whose programs are missing, where that is possible; says what is not.
 * @param programs - program, or several of which one is enough with `|` between, and the package of the first
 */
export function installPrograms(programs) {
  const missing = () => Object.keys(programs).filter((names) => !names.split('|').some(has));
  if (missing().length === 0) return [];
  if (process.getuid?.() === 0 && has('apt-get')) {
    const packages = missing().map((program) => programs[program]);
    console.log(`Installing ${packages.join(', ')} …`);
    const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
    const quiet = { stdio: ['ignore', 'ignore', 'inherit'], env };
    spawnSync('apt-get', ['update', '-qq'], quiet);
    spawnSync('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...packages], quiet);
  }
  return missing();
}
