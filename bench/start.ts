import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { median, report, type Figure } from './figures.js';

const root = fileURLToPath(new URL('..', import.meta.url));
export const program = `${root}dist/node/dorlin.js`;
const policy = ['--policy', `${root}examples/observatory/dorlin.yaml`];

/** Tells, on a channel of its own, what a process has used of the processor by its end. */
const teller = `data:text/javascript,${encodeURIComponent("import { writeSync } from 'node:fs'; process.on('exit', () => { const { user, system } = process.cpuUsage(); writeSync(3, String(user + system)); });")}`;

/** Seconds of the processor that a run of Node takes. */
export function cpuSeconds(words: readonly string[]): number {
  const stdio = ['ignore', 'ignore', 'ignore', 'pipe'] as const;
  const { output } = spawnSync(process.execPath, ['--import', teller, ...words], { stdio: [...stdio] });
  return Number(output[3]?.toString()) / 1e6;
}

/** Milliseconds until a module is there, in a process of its own. */
function importTime(module: string): number {
  const code = `const start = performance.now(); await import(${JSON.stringify(root + module)}); console.log(performance.now() - start)`;
  const { stdout } = spawnSync(process.execPath, ['--input-type=module', '-e', code]);
  return Number(stdout.toString());
}

/** How soon commands answer, beside a Node that does nothing at all, in turn; and how long an import takes. */
export function benchStart(): Figure[] {
  const calls: [string, string[], number][] = [
    ['`dorlin --help`', ['--help'], 1.8],
    ['`dorlin places` of the demo', ['places', ...policy], 6],
    ['`dorlin explain` in the demo', ['explain', '/members/log', ...policy], 6],
  ];
  const figures = calls.flatMap(([name, words, atMost]) => {
    const pairs = Array.from({ length: 11 }, () => [cpuSeconds(['-e', '0']), cpuSeconds([program, ...words])] as const);
    return [
      report(
        `${name}, times the CPU time of a bare Node (11 pairs)`,
        median(pairs.map(([nothing, own]) => own / nothing)),
        '×',
        { atMost },
      ),
      report(`${name}, CPU time`, median(pairs.map(([, own]) => own)), 's'),
    ];
  });
  const imports = ['node', 'index'].map((name) =>
    report(
      `import of \`dorlin${name === 'node' ? '/node' : ''}\``,
      median(Array.from({ length: 11 }, () => importTime(`dist/node/${name}.js`))),
      'ms',
      name === 'node' ? { atMost: 250 } : {},
    ),
  );
  return [...figures, ...imports];
}
