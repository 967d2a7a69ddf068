import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { seededRandom } from '../test/support/random.js';
import { askedChild } from './child.js';
import { median, report, type Figure } from './figures.js';

const root = fileURLToPath(new URL('..', import.meta.url));
const program = `${root}node_modules/.cache/dorlin-bench/own-cost-child.mjs`;
const kinds = ['bare', 'open', 'unmarked', 'bare-members', 'let-in'] as const;
const processes = 9;
const rounds = 9;
const requests = 1000;

/** As it is shipped, and not as it is run from its sources, which takes a time of its own. @returns its file */
export async function buildOwnCostChild(): Promise<string> {
  await build({
    entryPoints: [`${root}bench/own-cost-child.ts`],
    outfile: program,
    bundle: true,
    packages: 'external',
    format: 'esm',
    platform: 'node',
  });
  return program;
}

/**
 * What the guard itself takes of the processor: the same files by the same server, bare and behind the
 * guard, on a connection in memory, in random order. Every time it is a process of its own, as each has
 * its luck with what it compiles; compared are the medians.
 */
export async function benchOwnCost(): Promise<Figure[]> {
  await buildOwnCostChild();
  const random = seededRandom(11);
  const times = new Map<string, number[]>(kinds.map((kind) => [kind, []]));
  for (let process = 0; process < processes; process++) {
    const order = [...kinds];
    while (order.length > 0) {
      const [kind = 'bare'] = order.splice(random.below(order.length), 1);
      const server = askedChild(program, [kind]);
      const own: number[] = [];
      for (let round = 0; round < rounds; round++) own.push(await server.ask(String(requests)));
      server.end();
      times.get(kind)?.push(median(own));
    }
  }
  const share = (kind: string, bare: string) => median(times.get(bare) ?? []) / median(times.get(kind) ?? []);
  return [
    report('open page, CPU time of bare by that of guarded', share('open', 'bare'), '', { atLeast: 0.97 }),
    report('open page where pages have no marks', share('unmarked', 'bare'), '', { atLeast: 0.97 }),
    report('let-in page, CPU time of bare by that of guarded', share('let-in', 'bare-members'), '', { atLeast: 0.95 }),
  ];
}
