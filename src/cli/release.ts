import type { Command } from 'commander';
import { release } from '../owner/release.js';
import { printChange, printNeeds } from './change-words.js';
import { makeEditCommand, type CommonOptions } from './command.js';
import { listed, print, printJson } from './output.js';
import { printForgotten } from './told.js';

interface ReleaseOptions extends CommonOptions {
  readonly from?: string;
}

export function command(summary: string): Command {
  return makeEditCommand('release', summary, 'dorlin release /members/join /events/dinner\ndorlin release opening')
    .usage('PLACE…|LOCK… [options]')
    .argument('<what...>', 'places, beginning with a slash or pasted as addresses; or names of locks to end')
    .option('--from <lock>', 'take the places out of this lock only')
    .action(releaseThem);
}

async function releaseThem(what: readonly string[], options: ReleaseOptions): Promise<void> {
  const isPlace = (text: string) => /^(?:\/|https?:\/\/)/i.test(text);
  const result = await release(options.policy, {
    places: what.filter(isPlace),
    locks: what.filter((text) => !isPlace(text)),
    from: options.from,
  });
  if (options.json === true) {
    printJson(result);
    return;
  }
  printChange(result);
  for (const { place, locks } of result.stillShut) print(`${place} is still shut by ${listed(locks)}.`);
  printNeeds(result.needs);
  for (const name of result.emptied) {
    print(`${name} covers nothing any more. To end it: dorlin release ${name}`);
  }
  printForgotten(result);
}
