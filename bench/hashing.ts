import { spawnSync } from 'node:child_process';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { build } from 'esbuild';
import { defaultCosts, hashAlgorithms, type HashAlgorithm } from '../src/core/passwords/phc.js';
import { nativeHasher } from '../src/stores/hasher.js';
import { freePort, startProgram } from '../test/support/programs.js';
import { lacksRuntime, runtimePath } from '../test/support/runtimes.js';
import { temporaryFolder } from '../test/support/sites.js';
import { median, report, type Figure } from './figures.js';

const tries = 5;
const salt = new Uint8Array(16).fill(7);

async function bundled(contents: string, outfile: string): Promise<void> {
  await build({
    stdin: { contents, resolveDir: process.cwd(), loader: 'ts' },
    outfile,
    bundle: true,
    format: 'esm',
    platform: 'neutral',
    mainFields: ['module', 'main'],
    conditions: ['import'],
    logLevel: 'error',
  });
}

const hashing = `
import { webHasher } from './src/stores/web-hasher.ts';
import { defaultCosts } from './src/core/passwords/phc.ts';
const hash = (algorithm: keyof typeof defaultCosts) => webHasher('amber kestrel over the moor', new Uint8Array(16).fill(7), defaultCosts[algorithm]);
`;

/** How long a try takes where the guard runs without Node's native parts, in milliseconds. */
export async function benchHashing(): Promise<Figure[]> {
  const { folder, remove } = await temporaryFolder();
  const figures: Figure[] = [];
  const told = (runtime: string, algorithm: HashAlgorithm, times: readonly number[]) =>
    figures.push(report(`one try in ${runtime}, ${algorithm}`, median(times), 'ms'));
  for (const algorithm of hashAlgorithms) {
    const times: number[] = [];
    for (let count = 0; count <= tries; count++) {
      const start = performance.now();
      await nativeHasher('amber kestrel over the moor', salt, defaultCosts[algorithm]);
      if (count > 0) times.push(performance.now() - start);
    }
    told('Node, native', algorithm, times);
  }
  const script = join(folder, 'hashing.mjs');
  await bundled(
    `${hashing}
    for (const algorithm of ['argon2id', 'pbkdf2-sha512'] as const) {
      const times: number[] = [];
      for (let count = 0; count <= ${tries}; count++) {
        const start = performance.now();
        await hash(algorithm);
        if (count > 0) times.push(performance.now() - start);
      }
      console.log(JSON.stringify(times));
    }`,
    script,
  );
  const runtimes = [
    ['Node, without native parts', process.execPath, []],
    ['Bun', runtimePath('bun'), ['run']],
    ['Deno', runtimePath('deno'), ['run']],
  ] as const;
  for (const [name, program, args] of runtimes) {
    const { stdout, status } = spawnSync(program, [...args, script], { encoding: 'utf8' });
    if (status !== 0) continue;
    stdout
      .trim()
      .split('\n')
      .forEach((line, at) => told(name, hashAlgorithms[at] ?? 'argon2id', JSON.parse(line) as number[]));
  }
  if (lacksRuntime('workerd') === false) figures.push(...(await inWorkerd(folder)));
  await remove();
  return figures;
}

/** A worker's clock stands still while it works, so the time is taken outside. */
async function inWorkerd(folder: string): Promise<Figure[]> {
  const script = join(folder, 'worker.mjs');
  await bundled(
    `${hashing}
    export default {
      async fetch(request: Request) {
        const algorithm = new URL(request.url).pathname.slice(1);
        if (algorithm in defaultCosts) await hash(algorithm as 'argon2id');
        return new Response('done');
      },
    };`,
    script,
  );
  const port = await freePort();
  await writeFile(
    join(folder, 'worker.capnp'),
    `using Workerd = import "/workerd/workerd.capnp";
const config :Workerd.Config = (
  services = [(name = "main", worker = (modules = [(name = "worker.mjs", esModule = embed "worker.mjs")], compatibilityDate = "2026-01-01"))],
  sockets = [(name = "http", address = "127.0.0.1:${port}", http = (), service = "main")],
);
`,
  );
  const ask = (path: string) => fetch(`http://127.0.0.1:${port}/${path}`).then((answer) => answer.text());
  const running = await startProgram(runtimePath('workerd'), ['serve', join(folder, 'worker.capnp')], () =>
    ask('').then(
      () => true,
      () => false,
    ),
  );
  const figures: Figure[] = [];
  for (const algorithm of hashAlgorithms) {
    const times: number[] = [];
    for (let count = 0; count <= tries; count++) {
      const start = performance.now();
      const said = await ask(algorithm);
      if (count > 0 && said === 'done') times.push(performance.now() - start);
    }
    figures.push(report(`one try in workerd, ${algorithm}`, median(times), 'ms'));
  }
  await running.end();
  return figures;
}
