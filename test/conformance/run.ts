/**
 * `npm run conformance`: plays the suite through every front of this machine, and prints which answer
 * otherwise. Exit 1 where a difference is not named.
 */
import pc from 'picocolors';
import { cases } from './cases.js';
import { deviations } from './deviations.js';
import { makeGround } from './front.js';
import { allFronts } from './fronts/all.js';
import { playAll } from './play.js';
import { theSecret } from './policy.js';

process.env['DORLIN_SECRET'] = theSecret;

/** How a front's answer is told: as all, by the number of the difference, or not at all. */
function signOf(front: string, name: string, expected: string, answer: string): string {
  if (answer === expected) return pc.dim('·');
  const at = deviations.findIndex(({ fronts, answers }) => fronts.includes(front) && answers[name] === answer);
  if (at >= 0) return pc.cyan(String.fromCharCode(97 + at));
  process.exitCode = 1;
  return pc.bold(pc.red('!'));
}

const ground = await makeGround();
const played: { name: string; answers: string[] }[] = [];
const skipped: string[] = [];
for (const front of allFronts) {
  if (typeof front.skip === 'string') {
    skipped.push(`${front.name}: ${front.skip}`);
    continue;
  }
  const running = await front.start(ground);
  played.push({ name: front.name, answers: await playAll(running).finally(() => running.close()) });
}
await ground.remove();

const width = Math.max(...cases.map(({ name }) => name.length));
const column = (text: string) => text.padStart(3);
played.forEach(({ name }, at) => {
  console.log(`${column(String(at + 1))}  ${name}`);
});
console.log(`\n${' '.repeat(width)}${played.map((_, at) => column(String(at + 1))).join('')}`);
cases.forEach(({ name, expect }, at) => {
  const signs = played.map((front) => signOf(front.name, name, expect, front.answers[at] ?? ''));
  console.log(`${name.padEnd(width)}${signs.map((sign) => `  ${sign}`).join('')}   ${pc.dim(expect)}`);
});
console.log(`\n${cases.length} visits through ${played.length} fronts. Where one answers otherwise:`);
deviations.forEach(({ why, fronts }, at) => {
  console.log(`  ${pc.cyan(String.fromCharCode(97 + at))}  ${fronts.join('; ')}: ${why}`);
});
for (const line of skipped) console.log(`  left out: ${line}`);
played.forEach(({ name, answers }) => {
  cases.forEach(({ name: of, expect }, at) => {
    if (signOf(name, of, expect, answers[at] ?? '').includes('!'))
      console.log(`  ! ${name}, ${of}: ${answers[at] ?? ''}`);
  });
});
process.exit();
