/**
 * `npm run mutate [file…] [--each N] [--seed N] [--minutes N]`: changes the files that security rests
 * on, one small change at a time, and asks the tests whether they notice. Prints a score for each file
 * and every change that went unnoticed. Exit 1 where fewer than 92 in 100 were noticed.
 */
import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { parseArgs } from 'node:util';
import { fileURLToPath } from 'node:url';
import { seededRandom } from '../../test/support/random.js';
import { equivalents } from './equivalents.js';
import { mutantsOf, type Mutant } from './mutants.js';
import { watched } from './watched.js';

const least = 0.92;
const { values, positionals } = parseArgs({
  allowPositionals: true,
  options: {
    each: { type: 'string', default: '12' },
    seed: { type: 'string', default: '1' },
    minutes: { type: 'string', default: '60' },
  },
});
const root = fileURLToPath(new URL('../..', import.meta.url));
const until = Date.now() + Number(values.minutes) * 60_000;

interface Job {
  readonly file: string;
  readonly source: string;
  readonly mutant: Mutant;
  readonly tests: readonly string[];
}

/** Whether all tests of a list pass with a mutant; what never ends was noticed. */
async function survives({ file, mutant, tests }: Job): Promise<boolean> {
  const env = { ...process.env, DORLIN_MUTANT: JSON.stringify({ ...mutant, file: root + file }) };
  for (const test of tests) {
    const options = [
      '--import',
      './scripts/mutate/hook.mjs',
      '--import',
      'tsx',
      '--test-reporter=./scripts/mutate/first-failure.mjs',
      '--test-reporter-destination=stdout',
      test,
    ];
    const child = spawn(process.execPath, options, { cwd: root, env, stdio: 'ignore' });
    const timer = setTimeout(() => child.kill('SIGKILL'), 45_000);
    const code = await new Promise<number | null>((resolve) => child.on('exit', resolve));
    clearTimeout(timer);
    if (code !== 0) return false;
  }
  return true;
}

const lineOf = (source: string, { line }: Mutant) => source.split('\n')[line - 1]?.trim() ?? '';
const isEquivalent = (file: string, source: string, mutant: Mutant) =>
  equivalents.some(
    (one) =>
      one.file === file && lineOf(source, mutant) === one.line && (one.to === undefined || one.to === mutant.text),
  );

// A reason for a line that is no longer there would say nothing, and nobody would notice.
for (const { file, line } of equivalents) {
  const has = readFileSync(root + file, 'utf8')
    .split('\n')
    .some((one) => one.trim() === line);
  if (!has) throw new Error(`${file} has no line \`${line}\`: mend scripts/mutate/equivalents.ts`);
}

const random = seededRandom(Number(values.seed));
const jobs: Job[] = [];
const skipped = new Map<string, number>();
for (const [file, tests] of Object.entries(watched)) {
  if (positionals.length > 0 && !positionals.some((word) => file.includes(word))) continue;
  const source = readFileSync(root + file, 'utf8');
  const all = mutantsOf(source);
  const chosen: Mutant[] = [];
  while (chosen.length < Number(values.each) && all.length > 0) {
    const [mutant] = all.splice(random.below(all.length), 1);
    if (mutant === undefined) break;
    if (isEquivalent(file, source, mutant)) skipped.set(file, (skipped.get(file) ?? 0) + 1);
    else chosen.push(mutant);
  }
  for (const mutant of chosen) jobs.push({ file, source, mutant, tests });
}

const results = new Map<string, { noticed: number; of: number }>();
const waiting = [...jobs];
const worker = async () => {
  for (let job = waiting.shift(); job !== undefined && Date.now() < until; job = waiting.shift()) {
    const isUnnoticed = await survives(job);
    const { file, source, mutant } = job;
    const sum = results.get(file) ?? { noticed: 0, of: 0 };
    results.set(file, { noticed: sum.noticed + (isUnnoticed ? 0 : 1), of: sum.of + 1 });
    if (!isUnnoticed) continue;
    const was = source.slice(mutant.start, mutant.end);
    console.log(`unnoticed  ${file}:${mutant.line}  ${was}  →  ${mutant.text}\n           ${lineOf(source, mutant)}`);
  }
};
await Promise.all(Array.from({ length: Math.max(1, availableParallelism()) }, worker));

let noticed = 0;
let of = 0;
console.log(`\n| file | noticed | of | equal in effect, left out |\n| --- | --- | --- | --- |`);
for (const [file, sum] of [...results].sort(([one], [other]) => (one < other ? -1 : 1))) {
  noticed += sum.noticed;
  of += sum.of;
  console.log(`| ${file} | ${sum.noticed} | ${sum.of} | ${skipped.get(file) ?? 0} |`);
}
const share = of === 0 ? 0 : noticed / of;
console.log(`| all | ${noticed} | ${of} | ${(100 * share).toFixed(1)} % |`);
if (waiting.length > 0) console.log(`${waiting.length} were not tried: the time was over`);
if (share < least) process.exitCode = 1;
