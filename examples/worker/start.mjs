// Bundles the worker and runs it in workerd, which is not installed along: it is 160 MB.
import { build } from 'esbuild';
import { spawn } from 'node:child_process';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const site = fileURLToPath(new URL('../small-site/site/', import.meta.url));
const workerd = process.env.WORKERD ?? 'workerd';
const port = process.env.PORT ?? '4316';
const folder = await mkdtemp(join(tmpdir(), 'dorlin-worker-'));

/** The site's files as a module. */
const siteFiles = {
  name: 'site-files',
  setup(bundle) {
    bundle.onResolve({ filter: /^site-files$/ }, ({ path }) => ({ path, namespace: 'site-files' }));
    bundle.onLoad({ filter: /.*/, namespace: 'site-files' }, () => {
      const names = readdirSync(site, { recursive: true }).filter((name) => /\.\w+$/.test(name));
      const files = Object.fromEntries(names.map((name) => [`/${name}`, readFileSync(join(site, name), 'utf8')]));
      return { contents: `export const files = ${JSON.stringify(files)};` };
    });
  },
};
await build({
  entryPoints: [fileURLToPath(new URL('worker.js', import.meta.url))],
  outfile: join(folder, 'worker.mjs'),
  bundle: true,
  format: 'esm',
  platform: 'neutral',
  mainFields: ['module', 'main'],
  conditions: ['workerd', 'worker', 'import'],
  loader: { '.yaml': 'text' },
  plugins: [siteFiles],
});
await writeFile(
  join(folder, 'worker.capnp'),
  `using Workerd = import "/workerd/workerd.capnp";
const config :Workerd.Config = (
  services = [(name = "main", worker = (
    modules = [(name = "worker.mjs", esModule = embed "worker.mjs")],
    bindings = [(name = "DORLIN_SECRET", fromEnvironment = "DORLIN_SECRET")],
    compatibilityDate = "2026-01-01",
  ))],
  sockets = [(name = "http", address = "127.0.0.1:${port}", http = (), service = "main")],
);
`,
);
const env = { DORLIN_SECRET: 'the secret of an example which you must not take', ...process.env };
const running = spawn(workerd, ['serve', join(folder, 'worker.capnp')], { stdio: 'inherit', env });
running.on('error', () => {
  console.error(
    'There is no `workerd` here: install @cloudflare/workerd-linux-64 or its like, and name it by WORKERD.',
  );
  process.exitCode = existsSync(workerd) ? 1 : 2;
});
running.on('spawn', () => console.log(`A worker, guarded: http://localhost:${port}/`));
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => running.kill(signal));
