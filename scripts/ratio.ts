/** Prints the lines of code and of tests, blank ones left out, and the share of tests. */
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';

const isCode = /\.(ts|tsx|mjs|cjs|js|css|sh)$/;
const isTest = /(^|\/)test\//;

const files = execFileSync('git', ['ls-files', '--cached', '--others', '--exclude-standard'], {
  encoding: 'utf8',
})
  .split('\n')
  .filter((file) => isCode.test(file));
const linesOf = (file: string) =>
  readFileSync(file, 'utf8')
    .split('\n')
    .filter((line) => line.trim() !== '').length;

let code = 0;
let tests = 0;
for (const file of files) {
  if (isTest.test(file)) tests += linesOf(file);
  else code += linesOf(file);
}
const share = (100 * tests) / (code + tests);
console.log(`code ${code} lines, tests ${tests} lines: tests are ${share.toFixed(1)} % of all`);
