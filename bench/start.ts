import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { median, report, type Figure } from './figures.js';

const program = fileURLToPath(new URL('../dist/cli/main.js', import.meta.url));

function seconds(words: readonly string[]): number {
  const start = process.hrtime.bigint();
  spawnSync(process.execPath, words, { stdio: 'ignore' });
  return Number(process.hrtime.bigint() - start) / 1e9;
}

/** How soon `dorlin --help` answers, beside a Node that does nothing at all, in pairs. */
export function benchStart(): Figure[] {
  const ratios = Array.from({ length: 21 }, () => {
    const nothing = seconds(['-e', '0']);
    return seconds([program, '--help']) / nothing;
  });
  return [
    report('`dorlin --help`, times a bare Node (21 pairs)', median(ratios), '×', { atMost: 1.8 }),
  ];
}
