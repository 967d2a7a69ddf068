import type { Command } from 'commander';
import { goLive } from '../owner/drafts.js';
import { printChange } from './change-words.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { paint, print, printJson } from './output.js';
import { printForgotten } from './told.js';

interface LiveOptions extends CommonOptions {
  readonly over?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand('live', summary, 'dorlin lock members /events/dinner --draft\ndorlin live')
    .option('--over', 'even though the policy was changed since the draft was begun')
    .action(live);
}

async function live(options: LiveOptions): Promise<void> {
  const result = await goLive(options.policy, options.over === true);
  if (options.json === true) {
    printJson(result);
    return;
  }
  printChange(result);
  print(paint.dim(`${options.policy} is what the draft was. \`dorlin back\` takes that back.`));
  printForgotten(result);
}
