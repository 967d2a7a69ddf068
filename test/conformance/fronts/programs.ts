import { build } from 'esbuild';
import { writeFile } from 'node:fs/promises';
import { join, resolve } from 'node:path';
import { freePort, startProgram } from '../../support/programs.js';
import { lacksRuntime, runtimePath, type Runtime } from '../../support/runtimes.js';
import type { Front, Ground, RunningFront } from '../front.js';

/** Where it is bundled, and the policy that goes into it. */
type Bundled = Pick<Ground, 'folder' | 'policy'>;

const fetchEntry = 'test/conformance/fronts/fetch-entry.ts';

/** One module for a runtime, with the built package in it. */
async function bundledFor(ground: Bundled, entry: string, runtime: Runtime, port: number): Promise<string> {
  const isNode = runtime.startsWith('node');
  const name = `${runtime}.mjs`;
  // Within this package, so that what is loaded is found as an application finds it.
  const outfile = isNode ? resolve('.cache/conformance', name) : join(ground.folder, name);
  await build({
    entryPoints: [entry],
    outfile,
    bundle: true,
    format: 'esm',
    platform: isNode ? 'node' : 'neutral',
    // What Node loads itself is not packed.
    packages: isNode ? 'external' : 'bundle',
    mainFields: ['module', 'main'],
    conditions: isNode ? ['import'] : [runtime, 'import'],
    define: {
      policyText: JSON.stringify(ground.policy),
      runtimeName: JSON.stringify(runtime),
      portNumber: String(port),
    },
    logLevel: 'error',
  });
  return outfile;
}

const portIn = (said: string) => Number(/listening at (\d+)/.exec(said)?.[1]);
const hasPort = (said: string) => portIn(said) > 0;

export async function inDenoOrBun(ground: Bundled, runtime: 'deno' | 'bun', entry = fetchEntry): Promise<RunningFront> {
  const file = await bundledFor(ground, entry, runtime, 0);
  const args = runtime === 'deno' ? ['run', '--no-prompt', '--allow-net', '--no-remote', file] : ['run', file];
  const running = await startProgram(runtimePath(runtime), args, hasPort);
  return { port: portIn(running.said()), close: running.end };
}

export async function inWorkerd(ground: Bundled, entry = fetchEntry): Promise<RunningFront> {
  const file = await bundledFor(ground, entry, 'workerd', 0);
  const port = await freePort();
  const config = join(ground.folder, 'worker.capnp');
  await writeFile(
    config,
    `using Workerd = import "/workerd/workerd.capnp";
const config :Workerd.Config = (
  services = [(name = "main", worker = (
    modules = [(name = "main.mjs", esModule = embed "${file.slice(ground.folder.length + 1)}")],
    compatibilityDate = "2026-01-01",
  ))],
  sockets = [(name = "http", address = "127.0.0.1:${port}", http = (), service = "main")],
);
`,
  );
  const isUp = () =>
    fetch(`http://127.0.0.1:${port}/about`).then(
      ({ status }) => status > 0,
      () => false,
    );
  const running = await startProgram(runtimePath('workerd'), ['serve', config], isUp);
  // What the platform in front of workers says of the connection.
  return { port, close: running.end, headers: { 'cf-connecting-ip': '127.0.0.1' } };
}

const nodeLine = (runtime: 'node24' | 'node26'): Front => ({
  name: runtime.replace('node', 'Node '),
  skip: lacksRuntime(runtime),
  start: async (ground) => {
    const file = await bundledFor(ground, 'test/conformance/fronts/node-entry.ts', runtime, 0);
    const running = await startProgram(runtimePath(runtime), [file, ground.policyFile], hasPort);
    return { port: portIn(running.said()), close: running.end };
  },
});

/** Fronts that are programs of their own. */
export const runtimeFronts: readonly Front[] = [
  { name: 'Deno', skip: lacksRuntime('deno'), start: (ground) => inDenoOrBun(ground, 'deno') },
  { name: 'Bun', skip: lacksRuntime('bun'), start: (ground) => inDenoOrBun(ground, 'bun') },
  { name: 'workerd', skip: lacksRuntime('workerd'), start: (ground) => inWorkerd(ground) },
  nodeLine('node24'),
  nodeLine('node26'),
];
