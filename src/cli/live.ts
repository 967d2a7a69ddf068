import type { Command } from 'commander';
import { makeDraftLive } from '../stores/draft.js';
import { changeBetween, printChange } from './change.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { paint, print, printJson } from './output.js';
import { forgetEnded } from './password-writing.js';

interface LiveOptions extends CommonOptions {
  readonly over?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand(
    'live',
    summary,
    'dorlin lock members /events/dinner --draft\ndorlin live',
  )
    .option('--over', 'even though the policy was changed since the draft was begun')
    .action(live);
}

async function live(options: LiveOptions): Promise<void> {
  const replaced = await makeDraftLive(options.policy, options.over === true);
  await forgetEnded(options.policy);
  const { opened, closed, moved, groups, ways } = await changeBetween(options.policy, replaced, []);
  if (options.json === true) {
    printJson({ policy: options.policy, opened, closed, moved, groups, ways });
    return;
  }
  printChange({ opened, closed, moved, groups, ways });
  print(paint.dim(`${options.policy} is what the draft was. \`dorlin back\` takes that back.`));
}
