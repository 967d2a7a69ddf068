/**
 * `npm run profile [open|unmarked|let-in|bare]`: where the processor's time goes in a page behind the guard, on a
 * connection in memory: by part, and the functions of ours that take most.
 */
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { buildOwnCostChild } from './own-cost.js';

interface CpuProfile {
  readonly nodes: readonly {
    readonly id: number;
    readonly callFrame: { readonly functionName: string; readonly url: string; readonly lineNumber: number };
  }[];
  readonly samples: readonly number[];
  /** In microseconds. */
  readonly timeDeltas: readonly number[];
}

const requests = 60_000;
const kind = process.argv[2] ?? 'open';
const program = await buildOwnCostChild();
const folder = await mkdtemp(join(tmpdir(), 'dorlin-profile-'));
const child = spawn(process.execPath, ['--cpu-prof', '--cpu-prof-dir', folder, program, kind], {
  stdio: ['pipe', 'pipe', 'inherit'],
});
child.stdin.end(`${requests}\n`);
await once(child, 'exit');
const [name = ''] = await readdir(folder);
const profile = JSON.parse(await readFile(join(folder, name), 'utf8')) as CpuProfile;
await rm(folder, { recursive: true });

/** Of each line of the bundle, the source that it comes from: a comment stands before each. */
const sources: string[] = [];
for (const line of (await readFile(program, 'utf8')).split('\n')) {
  sources.push(/^\/\/ ((?:src|bench|test|node_modules)\/\S+)$/.exec(line)?.[1] ?? sources.at(-1) ?? '');
}
const byId = new Map(profile.nodes.map((node) => [node.id, node.callFrame]));
const byPart = new Map<string, number>();
const byFunction = new Map<string, number>();
const add = (of: Map<string, number>, key: string, time: number) => of.set(key, (of.get(key) ?? 0) + time);
for (const [at, id] of profile.samples.entries()) {
  const { functionName, url, lineNumber } = byId.get(id) ?? { functionName: '', url: '', lineNumber: 0 };
  const time = profile.timeDeltas[at] ?? 0;
  if (functionName === '(idle)') continue;
  const source = url.endsWith('own-cost-child.mjs') ? (sources[lineNumber] ?? '') : '';
  const [, layer] = /^src\/(\w+)\//.exec(source) ?? [];
  const part =
    layer !== undefined
      ? `Dorlin: src/${layer}`
      : source !== ''
        ? 'the bench itself'
        : functionName === '(garbage collector)'
          ? 'the garbage collector'
          : url.startsWith('node:')
            ? `Node: ${url}`
            : url.includes('node_modules')
              ? `package: ${/node_modules\/((?:@[^/]+\/)?[^/]+)/.exec(url)?.[1] ?? ''}`
              : 'native code';
  add(byPart, part, time);
  if (layer !== undefined) add(byFunction, `${functionName || '(nameless)'} in ${source}`, time);
}
const all = [...byPart.values()].reduce((sum, time) => sum + time, 0);
const table = (of: ReadonlyMap<string, number>, most: number) => {
  for (const [key, time] of [...of].sort(([, one], [, other]) => other - one).slice(0, most)) {
    console.log(`  ${((100 * time) / all).toFixed(1).padStart(5)} %  ${key}`);
  }
};
console.log(
  `${kind}: ${(all / requests).toFixed(1)} µs a request in ${requests.toLocaleString('en')}, with the profiler`,
);
table(byPart, 14);
console.log('of ours:');
table(byFunction, 10);
