import type { Command } from 'commander';
import { startPolicy, type InitOrder } from '../owner/init.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { counted, print, printJson } from './output.js';

interface InitOptions extends CommonOptions, InitOrder {
  readonly language?: string[];
}

export function command(summary: string): Command {
  return makePolicyCommand('init', summary, "dorlin init dist --name 'Kestrelmoor Observatory'")
    .usage('[FOLDER] [options]')
    .argument('[folder]', 'the folder of your finished site', '.')
    .option('--name <name>', 'the name that visitors know the site by')
    .option('--origin <origin>', 'where it lives, such as https://kestrelmoor.example')
    .option('--language <tag...>', 'the languages that its visitors read, such as en-IE fr')
    .action(init);
}

async function init(folder: string, options: InitOptions): Promise<void> {
  const { policy, name, origin, language: languages } = options;
  const result = await startPolicy(policy, { folder, name, origin, languages });
  if (options.json === true) {
    printJson(result);
    return;
  }
  const { site, pages, files } = result;
  print(`Wrote ${policy} for ${site.name}: ${counted(pages, 'page')}, ${counted(files, 'file')}.`);
  print('Its secret lies in .dorlin/, which git ignores. Keep it out of backups others can read.');
  print();
  print('Next: dorlin lock NAME PLACE…, for example: dorlin lock members /members/');
}
