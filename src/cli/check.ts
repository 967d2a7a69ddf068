import type { Command } from 'commander';
import { check, type CheckResult } from '../owner/check/check.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { counted, noteFound, paint, print, printJson } from './output.js';
import { wrapped } from './wrapped.js';

interface CheckOptions extends CommonOptions {
  readonly folder?: string;
  readonly skip?: readonly string[];
  readonly at?: string;
  readonly all?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand('check', summary, 'dorlin check\ndorlin check --skip robots-names-locked')
    .option('--folder <dir>', 'the folder of the site’s files; else the policy’s `site.folder`')
    .option('--at <time>', 'as it will be at another moment: 2027-03-20T09:00, or `30 days` from now')
    .option('--skip <code...>', 'findings that are meant to be as they are')
    .option('--all', 'name every finding, also those of one folder and cause')
    .action(checkIt);
}

async function checkIt({ policy, json, all, ...order }: CheckOptions): Promise<void> {
  const result = await check(policy, order);
  if (result.findings > 0) noteFound();
  if (json === true) printJson(result);
  else printResult(result, all === true);
}

function printResult({ site, files, findings, kinds }: CheckResult, all: boolean): void {
  const looked =
    files === null ? 'the policy alone, as it names no folder of files' : `the policy and ${counted(files, 'file')}`;
  const count = findings === 0 ? paint.green('nothing found') : paint.yellow(counted(findings, 'finding'));
  print(`${paint.bold(site)}: ${count} in ${looked}`);
  for (const { code, title, why, mend, findings: each, groups } of kinds) {
    print();
    print(`  ${paint.bold(title)} ${paint.dim(`[${code}]`)}`);
    for (const { text } of all ? each : groups) {
      print(`    ${paint.yellow('•')} ${wrapped(text, 6)}`);
    }
    print(`    ${paint.dim(wrapped(why, 4))}`);
    print(`    ${paint.cyan('→')} ${wrapped(mend, 6)}`);
  }
}
