import type { Command } from 'commander';
import { pull } from '../owner/shared.js';
import { printChange } from './change-words.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { paint, print, printJson } from './output.js';

interface PullOptions extends CommonOptions {
  readonly redis?: string;
  readonly site?: string;
}

export function command(summary: string): Command {
  return makePolicyCommand('pull', summary, 'dorlin pull --redis redis://10.0.0.5:6379 --site kestrelmoor', {
    isFreshened: false,
  })
    .option('--redis <url>', 'the store that all machines share; else `DORLIN_REDIS`')
    .option('--site <id>', 'which site of it; else the one that the policy is tied to')
    .action(run);
}

async function run({ policy, redis, site: id, json }: PullOptions): Promise<void> {
  const result = await pull(policy, redis, id);
  if (json === true) {
    printJson(result);
    return;
  }
  printChange(result);
  const { site, version, draft, isCarried } = result;
  print(`${policy} is ${paint.bold(site)} of the store, version ${version}.`);
  if (isCarried === false)
    print(
      paint.yellow('The store and this copy changed the same: see to that in the draft, then `dorlin live --over`.'),
    );
  if (draft !== undefined) {
    print(
      paint.yellow(
        `What was changed here meanwhile is in ${draft}. \`dorlin review\` shows it, \`dorlin live\` pushes it.`,
      ),
    );
  }
}
