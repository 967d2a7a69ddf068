import type { Command } from 'commander';
import { push, takeOut } from '../owner/shared.js';
import { printChange } from './change-words.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { listed, paint, print, printJson } from './output.js';

interface PushOptions extends CommonOptions {
  readonly redis?: string;
  readonly host?: readonly string[];
  readonly remove?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand(
    'push',
    summary,
    'dorlin push --redis redis://10.0.0.5:6379\ndorlin push --host kestrelmoor.example --host www.kestrelmoor.example',
    { isFreshened: false },
  )
    .option('--redis <url>', 'the store that all machines share; else `DORLIN_REDIS`')
    .option(
      '--host <name>',
      'a host of the site, once for each; else its origin’s',
      (one: string, all: readonly string[] | undefined) => [...(all ?? []), one],
    )
    .option('--remove', 'take the site out of the store instead; the policy here stays')
    .action(run);
}

async function run({ policy, redis, host, remove, json }: PushOptions): Promise<void> {
  if (remove === true) {
    const gone = await takeOut(policy, redis);
    if (json === true) printJson(gone);
    else print(`${paint.bold(gone.site)} is out of the store: guards answer for it no more. ${policy} is as it was.`);
    return;
  }
  const result = await push(policy, redis, host);
  if (json === true) {
    printJson(result);
    return;
  }
  printChange(result);
  const { site, version, hosts, isNew } = result;
  print(`${paint.bold(site)} ${isNew ? 'is in the store' : 'counts in the store'}, version ${version}.`);
  print(
    hosts.length === 0
      ? paint.dim('It has no host, so guards of every site do not find it: `--host NAME` gives it one.')
      : paint.dim(`For ${listed(hosts)}.`),
  );
  print(paint.dim(`${policy} is tied to it: with \`DORLIN_REDIS\` set, every command works on the store.`));
}
