import type { Command } from 'commander';
import { stat, writeFile } from 'node:fs/promises';
import { basename, dirname, relative, resolve } from 'node:path';
import { stringify } from 'yaml';
import { DorlinError } from '../core/errors.js';
import { siteFiles } from '../server/site-files.js';
import { openKeys } from '../stores/keeping.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { counted, print, printJson } from './output.js';

interface InitOptions extends CommonOptions {
  readonly name?: string;
  readonly origin?: string;
}

export function command(summary: string): Command {
  return makePolicyCommand('init', summary, "dorlin init dist --name 'Kestrelmoor Observatory'")
    .usage('[folder] [options]')
    .argument('[folder]', 'the folder of your finished site', '.')
    .option('--name <name>', 'the name that visitors know the site by')
    .option('--origin <origin>', 'where it lives, such as https://kestrelmoor.example')
    .action(init);
}

async function init(folder: string, options: InitOptions): Promise<void> {
  const file = options.policy;
  if (await isThere(file)) throw new DorlinError('policy-exists', `${file} is there already.`);
  const files = await siteFiles(folder);
  const name = options.name ?? basename(resolve(folder === '.' ? '.' : dirname(resolve(folder))));
  const site = {
    name,
    ...(options.origin === undefined ? {} : { origin: options.origin }),
    folder: relative(dirname(resolve(file)), resolve(folder)) || '.',
    timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    ...(files.includes('/sitemap.xml') ? { sitemaps: ['/sitemap.xml'] } : {}),
    ...(files.includes('/feed.xml') ? { feeds: ['/feed.xml'] } : {}),
  };
  const text = `# Who may see what on this site. \`dorlin places\` shows it page by page.
dorlin: 1
${stringify({ site })}
# What happens at the locks; \`dorlin journal\` shows it.
journal: { keep: 90 days }
# A lock names the places it covers: /about is a page, /press/ a folder, / the whole site.
# Make one with: dorlin lock members /members/
locks: {}
`;
  // `wx` once more: two of these at the same moment must not both believe they were first.
  await writeFile(file, text, { flag: 'wx' });
  await openKeys(file);
  const pages = files.filter((path) => path.endsWith('.html')).length;
  if (options.json === true) printJson({ policy: file, site, files: files.length, pages });
  else {
    print(
      `Wrote ${file} for ${name}: ${counted(pages, 'page')}, ${counted(files.length, 'file')}.`,
    );
    print(
      'Its secret lies in .dorlin/, which git ignores. Keep it out of backups others can read.',
    );
    print();
    print('Next: dorlin lock NAME PLACE…, for example: dorlin lock members /members/');
  }
}

async function isThere(file: string): Promise<boolean> {
  return stat(file).then(
    () => true,
    () => false,
  );
}
