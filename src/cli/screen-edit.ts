import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { lookNames } from '../core/screen/looks/names.js';
import { changeScreen, makeScreen, screenKeys, type ScreenChanged, type ScreenListed } from '../owner/screens.js';
import { keepFileForScreens, removeScreen } from '../owner/screen-design.js';
import { makeEditCommand, makePolicyCommand, type CommonOptions } from './command.js';
import { columns, counted, listed, paint, print, printJson } from './output.js';
import { printKeys } from './setting-words.js';

interface NewOptions extends CommonOptions {
  readonly look?: string;
  readonly like?: string;
  readonly lock?: string[];
}

/** `dorlin screen new`: a screen of one's own. */
export const newCommand = (): Command =>
  makeEditCommand(
    'new',
    'make a screen, from a look or as a copy of another',
    "dorlin screen new evening --look lantern --lock members\ndorlin screen new welcome --like evening text.heading='Good evening'",
  )
    .usage('NAME [KEY=VALUE…] [options]')
    .argument('<name>')
    .argument('[settings...]', 'what is to differ, as KEY=VALUE')
    .option('--look <look>', `the look to start from: ${lookNames.join(', ')}`)
    .option('--like <screen>', 'a screen of the policy to start as a copy of')
    .option('--lock <lock...>', 'the locks that show it')
    .action(makeIt);

async function makeIt(
  name: string,
  given: readonly string[],
  { policy, look, like, lock, json }: NewOptions,
): Promise<void> {
  const { locks, settings } = sorted(lock, given);
  tell(await makeScreen(policy, name, { look, like, locks, settings }), json);
}

/** Locks and settings, as an option with several names takes whatever stands behind it. */
function sorted(locks: readonly string[] = [], settings: readonly string[]) {
  const isSetting = (word: string) => word.includes('=');
  return {
    locks: locks.filter((word) => !isSetting(word)),
    settings: [...settings, ...locks.filter(isSetting)],
  };
}

interface EditOptions extends CommonOptions {
  readonly lock?: string[];
  readonly keys?: boolean;
}

/** `dorlin screen edit`: any key of a screen. */
export const editCommand = (): Command =>
  makeEditCommand(
    'edit',
    'set any key of a screen',
    "dorlin screen edit evening look=harbour heading='The evening log' colors.light.button='#14383a'\ndorlin screen edit evening --keys",
  )
    .usage('NAME KEY=VALUE… [options]')
    .argument('<name>')
    .argument(
      '[settings...]',
      'KEY=VALUE; nothing behind `=` takes the key away, and a key may be written short where only one ends so',
    )
    .option('--lock <lock...>', 'locks that are to show it')
    .option('--keys', 'the keys there are, and what each is for')
    .action(editIt);

async function editIt(
  name: string,
  given: readonly string[],
  { policy, lock, keys, json }: EditOptions,
): Promise<void> {
  if (keys === true) {
    printKeys(screenKeys(), given, json);
    return;
  }
  const { locks, settings } = sorted(lock, given);
  if (settings.length + locks.length === 0) {
    throw new DorlinError('call-wrong', 'Nothing was said to be changed.', {
      mend: `Say it as KEY=VALUE, such as \`look=harbour\`; the keys: dorlin screen edit ${name} --keys`,
    });
  }
  tell(await changeScreen(policy, name, settings, locks), json);
}

/** `dorlin screen remove`: its locks show the default screen then. */
export const removeCommand = (): Command =>
  makeEditCommand('remove', 'take a screen out; its locks show the default one then', 'dorlin screen remove evening')
    .usage('NAME [options]')
    .argument('<name>')
    .action(async (name: string, { policy, json }: CommonOptions) => {
      const removed = await removeScreen(policy, name);
      if (json === true) {
        printJson(removed);
        return;
      }
      const { locks } = removed;
      const shown = locks.length === 0 ? 'No lock showed it.' : `${listed(locks)} now shows the default screen.`;
      print(`Removed the screen ${removed.screen}. ${shown}`);
    });

/** `dorlin screen keep`: a picture or font that visitors get whatever is locked. */
export const keepCommand = (): Command =>
  makePolicyCommand(
    'keep',
    'keep a picture or font beside the policy, for screens to show whatever is locked',
    'dorlin screen keep artwork/dome.webp',
  )
    .usage('FILE [options]')
    .argument('<file>')
    .action(async (file: string, { policy, json }: CommonOptions) => {
      const kept = await keepFileForScreens(policy, file);
      if (json === true) {
        printJson(kept);
        return;
      }
      print(`Kept, ${Math.ceil(kept.bytes / 1000).toLocaleString('en')} kB: ${paint.bold(kept.path)}`);
      print(paint.dim(`Say it in a screen: dorlin screen edit NAME background.picture=${kept.path}`));
    });

function tell(changed: ScreenChanged, json: boolean | undefined): void {
  if (json === true) {
    printJson(changed);
    return;
  }
  const { name, made, changed: keys, faint } = changed;
  const what = keys.length === 0 ? '' : `: ${listed(keys)}`;
  print(`${made ? 'Made' : 'Changed'} the screen ${name}${what}.`);
  print(columns([screenRow(changed)]));
  for (const pair of faint) print(`${paint.yellow('•')} ${pair}`);
  if (faint.length > 0) print(`${paint.cyan('→')} dorlin screen check ${name}`);
  else print(paint.dim(`To see it: dorlin screen preview ${name}`));
}

export function screenRow({ name, look, layout, locks, failingPairs }: ScreenListed): string[] {
  return [
    paint.bold(name),
    `${look}, ${layout}`,
    locks.length === 0 ? paint.dim('shown by no lock') : `shown by ${locks.join(', ')}`,
    failingPairs === 0
      ? paint.green('contrast passes')
      : paint.yellow(`${counted(failingPairs, 'pair')} of colors too faint`),
  ];
}
