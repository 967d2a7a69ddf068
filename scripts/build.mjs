// Builds the package into dist/: the screen's script first, as the guard carries it in itself.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { chmod, cp, mkdir, rm, writeFile } from 'node:fs/promises';
import { build } from 'esbuild';

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
if (process.argv.includes('--generated-only')) process.exit(0);

await rm('dist', { recursive: true, force: true });
run('node_modules/typescript/bin/tsc', '-p', 'tsconfig.build.json');
await writeFile('dist/page.js', await bundled('page', 'esm'));
const declarations = ['--noEmit', 'false', '--declaration', '--emitDeclarationOnly'];
run('node_modules/typescript/bin/tsc', '-p', 'tsconfig.page.json', ...declarations);
const { policyJsonSchema } = await import('../dist/core/policy/schema.js');
const { screenJsonSchema } = await import('../dist/core/screen/design/schema.js');
for (const [name, schema] of [
  ['policy', policyJsonSchema()],
  ['screen', screenJsonSchema()],
]) {
  await writeFile(`dist/${name}.schema.json`, `${JSON.stringify(schema, null, 2)}\n`);
}
await chmod('dist/cli/main.js', 0o755);

// The demo goes into the package where it has been built (npm run build:demo).
const demo = 'examples/observatory';
if (existsSync(`${demo}/dist/index.html`)) {
  await mkdir('dist/demo', { recursive: true });
  await cp(`${demo}/dist`, 'dist/demo/site', { recursive: true });
  for (const name of ['dorlin.yaml', 'demo-passwords.json', 'demo-people.json'])
    await cp(`${demo}/${name}`, `dist/demo/${name}`);
}
