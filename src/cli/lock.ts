import { Option, type Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { changeLock, describeLock } from '../owner/locks.js';
import type { LockSettings, LockStanding } from '../owner/lock-settings.js';
import { printChange } from './change-words.js';
import { makeEditCommand, type CommonOptions } from './command.js';
import { columns, paint, print, printJson } from './output.js';
import { withoutPassword } from './site-log.js';

const basics = ['on', 'off', 'always', 'none'];

interface LockOptions extends CommonOptions {
  readonly title?: string;
  readonly remember?: string;
  readonly from?: string;
  readonly until?: string;
  readonly outsiders?: string;
  readonly wrong?: string;
  readonly after?: string;
  readonly screen?: string;
  readonly require?: string[];
  readonly bypass?: string[];
  readonly basic?: string;
  readonly off?: boolean;
  readonly on?: boolean;
  readonly dynamic?: boolean;
}

export function command(summary: string): Command {
  return makeEditCommand(
    'lock',
    summary,
    `dorlin lock members /members/ /events/dinner
dorlin lock members --remember '30 days' --title 'Members’ pages'
dorlin lock opening / --until '7 days' --outsiders closed`,
  )
    .usage('NAME [PLACE…] [options]')
    .argument('<name>', 'the lock; it is made if there is none of that name')
    .argument(
      '[places...]',
      'pages (/about), folders (/press/), the whole site (/), sections (/events#walk), patterns, or pasted addresses',
    )
    .option('--title <text>', 'what its visitors call it')
    .option('--remember <span>', '`30 days`, `visit`, or `choice: 30 days`, which offers it')
    .option('--from <time>', 'when it begins: 2026-12-01T09:00, or a span from now: `7 days`')
    .option('--until <time>', 'when it ends by itself')
    .option('--outsiders <what>', 'screen, not-found, closed, or a path they are sent to')
    .option('--wrong <what>', 'where so many wrong passwords lead: `3 /join`')
    .option('--after <path>', 'where a right password lands; `same` for the page asked for')
    .option('--screen <name>', 'the screen that it shows')
    .option('--require <lock...>', 'other locks that must be open as well')
    .option('--bypass <name...>', 'the bypasses that count at it')
    .addOption(new Option('--basic <how>', 'HTTP Basic: on, off, or always').choices(basics))
    .option('--off', 'switch it off: it shuts nothing then')
    .option('--on', 'switch it on again')
    .option('--dynamic', 'the places are pages that an application makes, so no file lies there')
    .addHelpText('after', '\nEvery setting takes `none` to be as if it had never been set.')
    .action(lock);
}

async function lock(name: string, places: readonly string[], options: LockOptions): Promise<void> {
  const settings = settingsOf(options);
  const isAsked = places.length === 0 && Object.values(settings).every((one) => one === undefined);
  if (isAsked) {
    const standing = await describeLock(options.policy, name);
    if (options.json === true) printJson(standing);
    else printStanding(standing);
    return;
  }
  const dynamic = options.dynamic === true;
  const result = await changeLock(options.policy, name, { places, settings, dynamic });
  if (options.json === true) {
    printJson(result);
    return;
  }
  printChange(result);
  const { lock: standing } = result;
  if (!standing.enabled) print(`The lock ${name} is switched off, so it shuts nothing.`);
  else if (standing.standing !== 'counts') print(`The lock ${name} does not count now: ${timeWords(standing)}.`);
  if (standing.passwords === 0) {
    print(`${withoutPassword(standing)} To give it one: dorlin password add ${name}`);
  }
  if (Object.values(settings).some((one) => one !== undefined)) printStanding(standing);
}

/** `none` takes a setting away. */
const orNone = <T>(text: string | undefined, read: (text: string) => T): T | null | undefined =>
  text === undefined ? undefined : text === 'none' ? null : read(text);

function settingsOf(options: LockOptions): LockSettings {
  const { off, on, title, remember, from, until, outsiders, wrong, after, screen, basic } = options;
  if (off === true && on === true) {
    throw new DorlinError('call-wrong', '`--off` and `--on` exclude each other.', { mend: '' });
  }
  const same = (text: string) => text;
  const names = (all: string[] | undefined) => (all?.join() === 'none' ? null : all);
  return {
    title: orNone(title, same),
    remember: orNone(remember, (text) => {
      const choice = /^choice:?\s+(.+)$/i.exec(text)?.[1];
      return choice === undefined ? text : { choice };
    }),
    from: orNone(from, same),
    until: orNone(until, same),
    outsiders: orNone(outsiders, outsidersOf),
    wrong: orNone(wrong, wrongOf),
    after: orNone(after, same),
    screen: orNone(screen, same),
    requires: names(options.require),
    bypass: names(options.bypass),
    basic: orNone(basic, (text) => (text === 'always' ? 'always' : text === 'on')),
    enabled: on === true ? true : off === true ? false : undefined,
  };
}

function outsidersOf(text: string): Exclude<LockSettings['outsiders'], null | undefined> {
  if (text === 'screen' || text === 'not-found' || text === 'closed') return text;
  if (/^(?:\/|https?:)/i.test(text)) return { redirect: text };
  throw new DorlinError('call-wrong', `\`--outsiders ${text}\` is none of what outsiders can get.`, {
    mend: 'Write screen, not-found, closed, or a path they are sent to, such as /join.',
  });
}

function wrongOf(text: string): { after: number; redirect: string } {
  const [, after, redirect] = /^(\d{1,4})\s+(\S+)$/.exec(text.trim()) ?? [];
  if (after !== undefined && redirect !== undefined) return { after: Number(after), redirect };
  throw new DorlinError('call-wrong', `\`--wrong ${text}\` cannot be read.`, {
    mend: 'Write after how many, and where they lead: `3 /join`.',
  });
}

/** When a lock counts, in words. */
export function timeWords({ from, until }: Pick<LockStanding, 'from' | 'until'>): string {
  const words = [from && `from ${from}`, until && `until ${until}`].filter(Boolean);
  return words.length === 0 ? 'always' : words.join(' ');
}

function printStanding(lock: LockStanding): void {
  const { outsiders, basic, wrong } = lock;
  const rows: [string, string][] = [
    ['covers', lock.covers.join(' ') || paint.yellow('nothing')],
    ['except', lock.except.join(' ')],
    ['title', lock.title ?? ''],
    ['counts', lock.enabled ? timeWords(lock) : paint.yellow('switched off')],
    ['remembers', lock.remember === 'visit' ? 'for the visit' : lock.remember],
    ['outsiders', typeof outsiders === 'string' ? outsiders : `sent to ${outsiders.redirect}`],
    ['wrong', wrong === undefined ? '' : `after ${wrong.after}, sent to ${wrong.redirect}`],
    ['lands at', lock.after === 'same' ? 'the page that was asked for' : lock.after],
    ['screen', lock.screen],
    ['requires', lock.requires.join(', ')],
    ['bypass', lock.bypasses.join(', ')],
    ['HTTP Basic', basic === false ? '' : basic === true ? 'taken as well' : 'always asked for'],
  ];
  print();
  print(paint.bold(lock.name));
  print(columns(rows.filter(([, value]) => value !== '').map(([key, value]) => [paint.dim(key), value])));
}
