import { dirname, join } from 'node:path';
import type { Command } from 'commander';
import { siteCandidates, startPolicy, type InitOrder } from '../owner/init.js';
import { leftOutWords } from '../server/site-files.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { counted, paint, print, printJson } from './output.js';

interface InitOptions extends CommonOptions, InitOrder {
  readonly language?: string[];
}

export function command(summary: string): Command {
  return makePolicyCommand('init', summary, "dorlin init dist --name 'Kestrelmoor Observatory'")
    .usage('[FOLDER] [options]')
    .argument('[folder]', 'the folder of your finished site; else the one that is found beside the policy')
    .option('--name <name>', 'the name that visitors know the site by')
    .option('--origin <origin>', 'where it lives, such as https://kestrelmoor.example')
    .option('--language <tag...>', 'the languages that its visitors read, such as en-IE fr')
    .action(init);
}

async function init(given: string | undefined, options: InitOptions): Promise<void> {
  const { policy, name, origin, language: languages } = options;
  const folder = given ?? (await foundFolder(policy, options.json === true));
  const result = await startPolicy(policy, { folder, name, origin, languages });
  if (options.json === true) {
    printJson(result);
    return;
  }
  const { site, pages, files, leftOut } = result;
  print(`Wrote ${policy} for ${site.name}: ${counted(pages, 'page')}, ${counted(files, 'file')}.`);
  for (const words of leftOutWords(leftOut)) print(paint.yellow(`Not served: ${words}.`));
  print('Its secret lies in .dorlin/, which git ignores. Keep it out of backups others can read.');
  print();
  print('Next, with a page that leads through it: dorlin console');
  print('Or here: dorlin lock NAME PLACE…, for example: dorlin lock members /members/');
}

/** The folder of the site where none is named: the only one there is, or the one that is chosen. */
async function foundFolder(policy: string, json: boolean): Promise<string> {
  const found = await siteCandidates(policy);
  const [first, ...others] = found.map(({ folder }) => join(dirname(policy), folder));
  if (first === undefined) return '.';
  if (others.length === 0 || json || !process.stdin.isTTY || !process.stdout.isTTY) return first;
  const { default: input } = await import('@inquirer/input');
  const named = found.map(({ folder, pages }) => `${folder} (${counted(pages, 'page')})`).join(', ');
  return input({ message: `Which folder is the finished site? There are ${named}.`, default: first });
}
