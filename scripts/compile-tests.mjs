// Makes JavaScript of all sources and tests once, in the place of doing so anew in each test's process.
import { readdirSync } from 'node:fs';
import { mkdir, readFile, rm, writeFile } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { transform } from 'esbuild';

const folder = '.cache/tests';
const parts = ['src', 'test', 'bench', 'scripts', 'examples/observatory/build', 'examples/console/src/screens'];

/** Compiles into `.cache/tests`; a file goes on finding what lies beside its source. */
export async function compileTests() {
  await rm(folder, { recursive: true, force: true });
  const files = parts.flatMap((part) =>
    readdirSync(part, { recursive: true, encoding: 'utf8' })
      .filter((name) => name.endsWith('.ts') && !name.endsWith('.d.ts'))
      .map((name) => `${part}/${name}`),
  );
  await Promise.all(
    files.map(async (file) => {
      const source = await readFile(file, 'utf8');
      const here = JSON.stringify(pathToFileURL(resolve(file)).href);
      const text = source.replaceAll('import.meta.url', here);
      const { code } = await transform(text, { loader: 'ts', format: 'esm', target: 'node20', sourcefile: file });
      const made = `${folder}/${file.replace(/\.ts$/, '.js')}`;
      await mkdir(dirname(made), { recursive: true });
      await writeFile(made, code);
    }),
  );
  return (name) => `${folder}/${name.replace(/\.ts$/, '.js')}`;
}
