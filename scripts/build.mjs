// Builds the package into dist/: the screen's script first, as the guard carries it in itself.
import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { chmod, cp, mkdir, readdir, rm, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { build } from 'esbuild';
import { compiler } from './types.mjs';

/** Puts the console's app, where it has been built, into the package. */
const takeConsole = async () => {
  const app = 'examples/console/dist';
  if (existsSync(`${app}/index.html`)) await cp(app, 'dist/console-app', { recursive: true });
};
if (process.argv.includes('--console-alone')) {
  await rm('dist/console-app', { recursive: true, force: true });
  await takeConsole();
  process.exit(0);
}

const run = (...command) => {
  const { status } = spawnSync(process.execPath, command, { stdio: 'inherit' });
  if (status !== 0) process.exit(status ?? 1);
};

/** One browser script, bundled and small. */
const bundled = async (name, format) => {
  const { outputFiles } = await build({
    entryPoints: [`src/browser/${name}.ts`],
    bundle: true,
    minify: true,
    write: false,
    format,
    target: 'es2022',
    // A script that imports another for what it does, and for nothing that it gives.
    ignoreAnnotations: true,
  });
  return outputFiles[0].text;
};
const scripts = [];
for (const name of ['screen', 'page']) {
  const text = JSON.stringify(await bundled(name, 'iife'));
  scripts.push(`export const ${name}Script = ${text};\n`);
}
await writeFile(
  'src/guard/browser-scripts.generated.ts',
  `/** Made from src/browser by scripts/build.mjs. */\n${scripts.join('')}`,
);
// Of sealed sites: what opens them in the visitor’s browser.
const unseal = [];
for (const name of ['shell', 'page', 'worker', 'single']) {
  unseal.push(`export const ${name}Script = ${JSON.stringify(await bundled(`unseal/${name}`, 'iife'))};\n`);
}
await writeFile(
  'src/sealer/browser-scripts.generated.ts',
  `/** Made from src/browser/unseal by scripts/build.mjs. */\n${unseal.join('')}`,
);
// Apart: what visitors are sent carries nothing that is for owners.
await writeFile(
  'src/console/picker.generated.ts',
  `/** Made from src/browser by scripts/build.mjs. */\nexport const pickerScript = ${JSON.stringify(await bundled('picker', 'iife'))};\n`,
);
if (process.argv.includes('--generated-only')) process.exit(0);

await rm('dist', { recursive: true, force: true });
// Two forms of the same: file by file, so that bundlers can shake it, and in few files for Node, which
// takes longer to find many than to read one. What is only for commands is packed into those.
run(compiler, '-p', 'tsconfig.build.json');
await keepReachable(['dist/index.js', 'dist/fetch.js', 'dist/design.js', 'dist/unseal.js']);
const { metafile } = await build({
  entryPoints: {
    index: 'src/index.ts',
    node: 'src/node.ts',
    fetch: 'src/fetch.ts',
    fastify: 'src/fastify.ts',
    redis: 'src/redis.ts',
    console: 'src/console.ts',
    vite: 'src/vite.ts',
    dorlin: 'src/cli/main.ts',
    'reading-worker': 'src/patrol/reading-worker.ts',
    'sealing-worker': 'src/sealer/sealing-worker.ts',
  },
  outdir: 'dist/node',
  bundle: true,
  splitting: true,
  format: 'esm',
  platform: 'node',
  target: 'node20',
  // Native parts, and what starts a file of its own.
  external: ['@node-rs/argon2', '@node-rs/bcrypt', 'sharp', 'tinypool'],
  legalComments: 'none',
  // Less to read at each start; names stay, so that what is told of an error can be followed.
  minifyWhitespace: true,
  minifySyntax: true,
  metafile: true,
  // What older libraries among them take for given.
  banner: {
    js: [
      "import { createRequire as makeRequireHere } from 'node:module';",
      "import { fileURLToPath as pathOfThisFile } from 'node:url';",
      'const require = makeRequireHere(import.meta.url), __filename = pathOfThisFile(import.meta.url);',
    ].join(' '),
  },
});
await writeFile('dist/node/LICENSES.txt', licensesOf(metafile));
await writeFile('dist/page.js', await bundled('page', 'esm'));
const declarations = ['--noEmit', 'false', '--declaration', '--emitDeclarationOnly'];
run(compiler, '-p', 'tsconfig.page.json', ...declarations);
const { policyJsonSchema } = await import('../dist/core/policy/schema.js');
const { screenJsonSchema } = await import('../dist/core/screen/design/schema.js');
for (const [name, schema] of [
  ['policy', policyJsonSchema()],
  ['screen', screenJsonSchema()],
]) {
  await writeFile(`dist/${name}.schema.json`, `${JSON.stringify(schema, null, 2)}\n`);
}
await chmod('dist/node/dorlin.js', 0o755);

await takeConsole();

// The demo goes into the package where it has been built (npm run build:demo).
const demo = 'examples/observatory';
if (existsSync(`${demo}/dist/index.html`)) {
  await mkdir('dist/demo', { recursive: true });
  await cp(`${demo}/dist`, 'dist/demo/site', { recursive: true });
  for (const name of ['dorlin.yaml', 'demo-passwords.json', 'demo-people.json'])
    await cp(`${demo}/${name}`, `dist/demo/${name}`);
}

/** Removes the files that entries do not import, and declarations that no entry's refer to. */
async function keepReachable(entries) {
  const reached = new Set();
  const reach = (file) => {
    if (reached.has(file) || !existsSync(file)) return;
    reached.add(file);
    // Declarations write `import("…")`, code `import('…')`.
    const imports = readFileSync(file, 'utf8').matchAll(/(?:from|import)\s*\(?["'](\.[^"']+)["']/g);
    for (const [, name] of imports) {
      const found = join(dirname(file), name);
      reach(found);
      if (file.endsWith('.d.ts')) reach(found.replace(/\.js$/, '.d.ts'));
    }
  };
  entries.forEach(reach);
  for (const types of ['index', 'fetch', 'design', 'unseal', 'node', 'fastify', 'redis', 'console', 'vite'])
    reach(`dist/${types}.d.ts`);
  // Files of declarations alone name files of code that are not needed for that.
  const code = new Set();
  const follow = (file) => {
    if (code.has(file)) return;
    code.add(file);
    for (const [, name] of readFileSync(file, 'utf8').matchAll(/from '(\.[^']+)'/g)) follow(join(dirname(file), name));
  };
  entries.forEach(follow);
  for (const name of await readdir('dist', { recursive: true })) {
    const file = join('dist', name);
    const isKept = file.endsWith('.d.ts') ? reached.has(file) : code.has(file);
    if (/\.(js|d\.ts)$/.test(file) && !isKept) await rm(file);
  }
  for (const name of (await readdir('dist', { recursive: true })).sort().reverse()) {
    const file = join('dist', name);
    if (statSync(file).isDirectory() && readdirSync(file).length === 0) await rm(file, { recursive: true });
  }
}

/** The licenses of all that is packed into the files for Node. */
function licensesOf({ inputs }) {
  const folders = Object.keys(inputs).flatMap((name) => /^.*node_modules\/(?:@[^/]+\/)?[^/]+/.exec(name)?.[0] ?? []);
  return [...new Set(folders)]
    .sort()
    .map((folder) => {
      const { name, version, license } = JSON.parse(readFileSync(`${folder}/package.json`, 'utf8'));
      const file = readdirSync(folder).find((one) => /^(licen[cs]e|copying)/i.test(one));
      const text = file === undefined ? '' : `\n${readFileSync(`${folder}/${file}`, 'utf8').trim()}\n`;
      return `${name} ${version} (${license})\n${text}`;
    })
    .join(`\n${'-'.repeat(80)}\n\n`);
}
