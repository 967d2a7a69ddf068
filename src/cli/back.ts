import type { Command } from 'commander';
import { stepBack, throwDraftAway } from '../stores/draft.js';
import { changeBetween, printChange } from './change.js';
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
    await throwDraftAway(options.policy);
    if (options.json === true) printJson({ policy: options.policy, draft: null });
    else print(`The draft of ${options.policy} is gone; the policy is as it was.`);
    return;
  }
  const replaced = await stepBack(options.policy);
  const { opened, closed, moved, groups, ways } = await changeBetween(options.policy, replaced, []);
  if (options.json === true) {
    printJson({ policy: options.policy, at: replaced.at, opened, closed, moved, groups, ways });
    return;
  }
  printChange({ opened, closed, moved, groups, ways });
  const when = new Date(replaced.at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short', timeZone: replaced.after.site.timeZone }); // prettier-ignore
  print(paint.dim(`${options.policy} is as it was before ${when}.`));
}
