import type { Command } from 'commander';
import { dropDraft, goBack } from '../owner/drafts.js';
import { printChange } from './change-words.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { paint, print, printJson } from './output.js';

interface BackOptions extends CommonOptions {
  readonly draft?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand('back', summary, 'dorlin back')
    .option('--draft', 'throw the draft away instead; the policy stays as it is')
    .action(back);
}

async function back(options: BackOptions): Promise<void> {
  if (options.draft === true) {
    const dropped = await dropDraft(options.policy);
    if (options.json === true) printJson(dropped);
    else print(`The draft of ${options.policy} is gone; the policy is as it was.`);
    return;
  }
  const result = await goBack(options.policy);
  if (options.json === true) {
    printJson(result);
    return;
  }
  printChange(result);
  print(paint.dim(`${options.policy} is as it was before ${result.atLocal}.`));
}
