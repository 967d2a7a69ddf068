import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { builtinModules } from 'node:module';
import { dirname, join, normalize, resolve } from 'node:path';
import { test } from 'node:test';
import { repository as here } from '../support/command-line.js';

const repository = resolve(here);

interface About {
  readonly dependencies?: Record<string, string>;
  readonly optionalDependencies?: Record<string, string>;
  readonly peerDependencies?: Record<string, string>;
}
const aboutOf = (folder: string) => JSON.parse(readFileSync(join(folder, 'package.json'), 'utf8')) as About;
const packed = () => {
  const told = execFileSync('npm', ['pack', '--dry-run', '--json', '--ignore-scripts'], {
    cwd: repository,
    encoding: 'utf8',
    stdio: ['ignore', 'pipe', 'ignore'],
  });
  const [pack] = JSON.parse(told) as { unpackedSize: number; files: { path: string }[] }[];
  assert.equal(pack === undefined, false);
  return { size: pack?.unpackedSize ?? 0, files: (pack?.files ?? []).map(({ path }) => path) };
};

/** The folders of all that is installed with the package, as they lie here. */
function installedWith(): Set<string> {
  const found = new Set<string>();
  const add = (name: string, from: string, isOptional: boolean) => {
    let folder = from;
    while (!existsSync(join(folder, 'node_modules', name))) {
      if (folder === repository) {
        assert.equal(isOptional, true, `${name} is not there`);
        return;
      }
      folder = dirname(folder);
    }
    const own = join(folder, 'node_modules', name);
    if (found.has(own)) return;
    found.add(own);
    const { dependencies = {}, optionalDependencies = {} } = aboutOf(own);
    for (const one of Object.keys(dependencies)) add(one, own, one in optionalDependencies);
    for (const one of Object.keys(optionalDependencies)) add(one, own, true);
  };
  for (const name of Object.keys(aboutOf(repository).dependencies ?? {})) add(name, repository, false);
  return found;
}

/** The bytes of a folder, but for what is installed within it: that is counted by itself. */
const sizeOf = (folder: string) =>
  readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => !name.startsWith('node_modules'))
    .map((name) => statSync(join(folder, name)))
    .reduce((sum, stats) => sum + (stats.isFile() ? stats.size : 0), 0);

test('at most 40 packages and 30 MB are installed with it', (t) => {
  const folders = [...installedWith()];
  const bytes = folders.reduce((sum, folder) => sum + sizeOf(folder), packed().size);
  t.diagnostic(`${folders.length} packages beside itself, ${(bytes / 1e6).toFixed(1)} MB in all`);
  assert.equal(folders.length < 40, true, folders.join('\n'));
  assert.equal(bytes < 30e6, true, String(bytes));
});

test('what is imported is installed; the files for Node bring along all but native parts', () => {
  const { dependencies = {}, peerDependencies = {} } = aboutOf(repository);
  const installed = new Set(Object.keys(dependencies));
  const outside = [...packed().files].flatMap((file) => {
    if (!/\.(js|d\.ts)$/.test(file) || file.startsWith('dist/demo/')) return [];
    const text = readFileSync(join(repository, file), 'utf8');
    const imports = /^(?:(?:import|export)\b[^'"\n;=]*\bfrom |\} from |import )['"]([^.'"][^'"]*)['"]/gm;
    return [...text.matchAll(imports)]
      .map(([, name = '']) => ({ file, name: /^(?:@[^/]+\/)?[^/]+/.exec(name)?.[0] ?? '' }))
      .filter(({ name }) => !name.startsWith('node:') && !builtinModules.includes(name));
  });
  assert.deepEqual(
    // Declarations may name a peer: who imports that entry has it.
    outside.filter(
      ({ file, name }) =>
        !installed.has(name) && name !== 'node' && !(file.endsWith('.d.ts') && Object.hasOwn(peerDependencies, name)),
    ),
    [],
  );
  const ofNode = outside.filter(({ file }) => file.startsWith('dist/node/'));
  assert.deepEqual(
    [...new Set(ofNode.map(({ name }) => name))].filter((name) => name !== 'tinypool'),
    [],
  );
});

test('no link in the documents of the package is dead', () => {
  const files = packed().files;
  const has = (path: string) => files.some((file) => file === path || file.startsWith(`${path}/`));
  const slugsOf = (path: string) =>
    [...readFileSync(join(repository, path), 'utf8').matchAll(/^#+ (.+)$/gm)].map(([, title = '']) =>
      title
        .toLowerCase()
        .replace(/[^\p{L}\p{N}\s_-]/gu, '')
        .replace(/ /g, '-'),
    );
  const dead: string[] = [];
  for (const file of files.filter((one) => one.endsWith('.md'))) {
    const text = readFileSync(join(repository, file), 'utf8').replace(/^```[\s\S]*?^```/gm, '');
    for (const [, link = ''] of text.matchAll(/\]\(([^)\s]+)\)/g)) {
      if (/^[a-z]+:/.test(link)) continue;
      const [path = '', anchor] = link.split('#');
      const target = path === '' ? file : normalize(join(dirname(file), path));
      const isThere = has(target) && (anchor === undefined || slugsOf(target).includes(anchor));
      if (!isThere) dead.push(`${file}: ${link}`);
    }
  }
  assert.equal(files.includes('README.md') && files.includes('docs/guide.md'), true);
  assert.deepEqual(dead, []);
});
