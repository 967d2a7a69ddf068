import type { Command } from 'commander';
import { listPlaces, type DecidingLock, type ListedPlace } from '../owner/places.js';
import { leftOutWords } from '../server/site-files.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { columns, counted, listed, paint, print, printJson } from './output.js';
import { treeRows } from './places-tree.js';
import { whenItCounts } from './site-log.js';

interface PlacesOptions extends CommonOptions {
  readonly folder?: string;
  readonly all?: boolean;
  readonly locked?: boolean;
}

export function command(summary: string): Command {
  return makePolicyCommand('places', summary, 'dorlin places\ndorlin places /members/ --all\ndorlin places --locked')
    .usage('[PLACE] [options]')
    .argument('[place]', 'a folder or page of the site, to see that alone')
    .option('--folder <dir>', 'the folder of the site’s files')
    .option('--locked', 'only what strangers do not get')
    .option('--all', 'name every file, however many are alike')
    .action(places);
}

async function places(under: string | undefined, options: PlacesOptions): Promise<void> {
  const { policy, folder, locked, all } = options;
  const result = await listPlaces(policy, { folder, under, locked });
  if (options.json === true) {
    printJson(result);
    return;
  }
  const pages = result.places.filter(({ kind }) => kind === 'page').length;
  const isPart = under !== undefined || locked === true;
  print(
    isPart
      ? `${paint.bold(result.site)}: ${counted(pages, 'page')}, ${counted(result.places.length, 'file')} of ${result.all.toLocaleString('en')}`
      : `${paint.bold(result.site)}: ${counted(pages, 'page')}, ${counted(result.all, 'file')} in all, ` +
          `${result.open.toLocaleString('en')} open to everybody`,
  );
  if (result.draft !== undefined) {
    print(paint.yellow('A draft is waiting, and not shown here: `dorlin review` tells what it would do.'));
  }
  print();
  if (result.places.length > 0) print(columns(treeRows(result.places, all === true)));
  else print(`  ${paint.dim('Nothing of that kind.')}`);
  if (isPart) return;
  const leftOut = leftOutWords(result.leftOut);
  if (leftOut.length > 0) print();
  for (const words of leftOut) print(`  ${paint.yellow(`Not served: ${words}.`)}`);
  print();
  for (const lock of result.locks) print(`  ${paint.bold(lock.name)}: ${lockWords(lock)}`);
}

function lockWords(lock: DecidingLock): string {
  if (!lock.enabled) return paint.yellow('switched off: it shuts nothing');
  const isIdle = lock.addresses + lock.sections === 0;
  const mark = isIdle ? paint.yellow(' (no file of this site)') : '';
  const files = lock.addresses > 0 || isIdle ? [counted(lock.addresses, 'file')] : [];
  const parts = lock.sections > 0 ? [counted(lock.sections, 'section')] : [];
  return `${counted(lock.passwords, 'password')}, decides over ${listed([...files, ...parts])}${whenItCounts(lock)}${mark}`;
}

export type { ListedPlace };
