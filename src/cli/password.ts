import type { Command } from 'commander';
import { showPassword } from '../owner/hand-out.js';
import {
  addPassword,
  changePassword,
  listPasswords,
  retirePassword,
  rotatePassword,
  type PasswordListed,
} from '../owner/passwords/passwords.js';
import { rehashPasswords } from '../owner/passwords/rehash.js';
import { planPasswords } from '../owner/passwords/plan.js';
import { makeEditCommand, makeGroup, makePolicyCommand, type CommonOptions } from './command.js';
import { handOutOrder, printHandedOut, withHandingOut, type HandingOutOptions } from './hand-out-words.js';
import { exportCommand, importCommand } from './password-files.js';
import { newPassword, printPassword, withPasswordInput, type PasswordInputOptions } from './password-input.js';
import { columns, counted, listed, paint, print, printJson } from './output.js';
import { printForgotten } from './told.js';

interface NewOptions extends CommonOptions, PasswordInputOptions {
  readonly label?: string;
  readonly from?: string;
  readonly until?: string;
  readonly overlap?: string;
}

export function command(summary: string): Command {
  const group = makeGroup('password', summary, "dorlin password add members --label 'Season 2026'");
  group.addCommand(
    withPasswordInput(
      makeEditCommand('add', 'give a lock one more password', "dorlin password add members --label 'Season 2026'"),
    )
      .usage('LOCK [options]')
      .argument('<lock>')
      .option('--label <label>', 'whom the password is for; only you see it')
      .option('--from <time>', 'when it begins to count: 2026-09-01, or a span from now: `7 days`')
      .option('--until <time>', 'when it ends by itself: 2027-09-14T12:00, or `90 days`')
      .action(add),
  );
  group.addCommand(
    withHandingOut(
      makePolicyCommand(
        'show',
        'look a password up, and hand it out',
        "dorlin password show members 'Season 2026'\ndorlin password show members --text --svg sheet.svg",
      ),
    )
      .usage('LOCK [PASSWORD] [options]')
      .argument('<lock>')
      .argument('[password]', 'its id or label, where the lock has several')
      .action(show),
  );
  group.addCommand(
    withPasswordInput(
      makeEditCommand(
        'rotate',
        'put a new password in an old one’s place, at once or with an overlap',
        "dorlin password rotate members 'Season 2026' --overlap '14 days'",
      ),
    )
      .usage('LOCK [PASSWORD] [options]')
      .argument('<lock>')
      .argument('[password]', 'its id or label, where the lock has several')
      .option('--label <label>', 'a new label; else the old one stays')
      .option('--overlap <span>', 'how long the old one goes on counting, such as `14 days`')
      .action(rotate),
  );
  group.addCommand(
    makeEditCommand(
      'plan',
      'make passwords ahead, each with its time',
      "dorlin password plan members --every month --count 12 --overlap '7 days'",
    )
      .usage('LOCK --every month --count 12 [options]')
      .argument('<lock>')
      .requiredOption('--every <span>', '`month`, `week`, or a span such as `14 days`')
      .option('--count <count>', 'how many', '12')
      .option('--overlap <span>', 'how long each goes on beside the next, such as `7 days`')
      .option('--from <time>', 'when the first begins; else with the next month or week')
      .option('--label <label>', 'what all labels begin with')
      .option('--words <count>', 'how many words each has')
      .action(plan),
  );
  group.addCommand(
    makeEditCommand(
      'change',
      'change whom a password is for and when it counts, and keep the password',
      "dorlin password change members 'Season 2025' --until '14 days'",
    )
      .usage('LOCK PASSWORD [options]')
      .argument('<lock>')
      .argument('<password>', 'its id or label')
      .option('--label <label>', 'a new label')
      .option('--from <time>', 'when it begins to count; `none` for at once')
      .option('--until <time>', 'when it ends by itself; `none` for never')
      .action(change),
  );
  group.addCommand(
    makeEditCommand(
      'retire',
      'end a password, and with it every pass it gave',
      "dorlin password retire members 'Season 2025'",
    )
      .usage('LOCK PASSWORD [options]')
      .argument('<lock>')
      .argument('<password>', 'its id or label')
      .action(retire),
  );
  group.addCommand(
    makeEditCommand(
      'rehash',
      'hash the passwords of a lock anew, as the site says by now; they stay what they are',
      'dorlin password rehash members',
    )
      .usage('LOCK [options]')
      .argument('<lock>')
      .action(rehash),
  );
  group.addCommand(
    makePolicyCommand(
      'list',
      'the passwords of a lock or of all, without revealing them',
      'dorlin password list members',
    )
      .usage('[LOCK] [options]')
      .argument('[lock]')
      .action(list),
  );
  group.addCommand(importCommand());
  group.addCommand(exportCommand());
  return group;
}

async function add(name: string, options: NewOptions): Promise<void> {
  const { label, from, until } = options;
  const password = await newPassword(options);
  const added = await addPassword(options.policy, name, { password, label, from, until });
  if (options.json === true) {
    printJson(added);
    return;
  }
  printPassword(`Added to ${name}, for ${added.label}:`, added);
  if (added.from ?? added.until) print(`It counts ${windowWords(added)}.`);
}

const windowWords = ({ from, until }: { readonly from?: string | undefined; readonly until?: string | undefined }) =>
  [from && `from ${from}`, until && `until ${until}`].filter(Boolean).join(' ');

async function rehash(name: string, options: CommonOptions): Promise<void> {
  const done = await rehashPasswords(options.policy, name);
  if (options.json === true) {
    printJson(done);
    return;
  }
  if (done.labels.length === 0) {
    print(`${name} has no password to be hashed.`);
    return;
  }
  print(`Hashed anew by ${done.algorithm}: ${listed(done.labels)}.`);
  print(paint.dim('Whoever has got in by one of them types it once more.'));
}

async function rotate(name: string, which: string | undefined, options: NewOptions): Promise<void> {
  const { label, overlap } = options;
  const password = await newPassword(options);
  const rotated = await rotatePassword(options.policy, name, which, { password, label, overlap });
  if (options.json === true) {
    printJson(rotated);
    return;
  }
  printPassword(`Rotated in ${name}, for ${rotated.label}:`, rotated);
  const { until } = rotated.replaced;
  print(
    until === undefined
      ? 'Whoever came in by the old one is out as of now.'
      : `The old one goes on counting until ${until}. Whoever came in by it is out then.`,
  );
  printForgotten(rotated);
}

interface PlanOptions extends CommonOptions {
  readonly every: string;
  readonly count: string;
  readonly overlap?: string;
  readonly from?: string;
  readonly label?: string;
  readonly words?: string;
}

async function plan(name: string, options: PlanOptions): Promise<void> {
  const { every, overlap, from, label } = options;
  const words = options.words === undefined ? undefined : Number(options.words);
  const order = { every, count: Number(options.count), overlap, from, label, words };
  const made = await planPasswords(options.policy, name, order);
  if (options.json === true) {
    printJson(made);
    return;
  }
  print(`${counted(made.passwords.length, 'password')} made for ${name}:`);
  print();
  const rows = made.passwords.map((one) => [one.label, paint.bold(one.password), paint.dim(windowWords(one))]);
  print(columns(rows));
  if (made.goOn.length === 0) return;
  print();
  print(`${listed(made.goOn)} ${made.goOn.length === 1 ? 'has' : 'have'} no end, and go on counting beside them.`);
  const first = made.goOn[0] ?? '';
  print(
    `To end one with the plan’s beginning: dorlin password change ${name} '${first}' --until ${made.passwords[0]?.from ?? ''}`,
  );
}

async function change(
  name: string,
  which: string,
  options: CommonOptions & Pick<NewOptions, 'label' | 'from' | 'until'>,
): Promise<void> {
  const time = (text: string | undefined) => (text === 'none' ? null : text);
  const { label, from, until } = options;
  const change = { label, from: time(from), until: time(until) };
  const changed = await changePassword(options.policy, name, which, change);
  if (options.json === true) printJson(changed);
  else print(columns([passwordRow(changed)]));
}

async function retire(name: string, which: string, options: CommonOptions): Promise<void> {
  const retired = await retirePassword(options.policy, name, which);
  if (options.json === true) {
    printJson(retired);
    return;
  }
  print(`Retired ${paint.bold(retired.label)} of ${name}. Whoever came in by it is out as of now.`);
  printGivers(retired.givenBy);
  if (retired.passwordsLeft === 0) print(`${name} has no password now. To give it one: dorlin password add ${name}`);
  printForgotten(retired);
}

/** Screens that gave what is gone. */
export function printGivers(screens: readonly string[]): void {
  if (screens.length === 0) return;
  print(paint.yellow(`The screen ${listed(screens)} gave it to whoever asked, and now says that nothing can be sent.`));
}

async function show(
  name: string,
  which: string | undefined,
  options: CommonOptions & HandingOutOptions,
): Promise<void> {
  const isHandedOut = options.text ?? options.qr ?? options.svg !== undefined;
  const order = isHandedOut ? handOutOrder(options) : undefined;
  const shown = await showPassword(options.policy, name, which, order);
  if (options.json === true) {
    printJson(shown);
    return;
  }
  print(shown.password);
  if (shown.handedOut !== undefined) await printHandedOut(shown.handedOut, options);
}

async function list(name: string | undefined, options: CommonOptions): Promise<void> {
  const found = await listPasswords(options.policy, name);
  if (options.json === true) {
    printJson(found);
    return;
  }
  for (const [at, { lock, passwords }] of found.locks.entries()) {
    if (at > 0) print();
    if (name === undefined) print(paint.bold(lock));
    if (passwords.length === 0) {
      print(`${lock} has no password. To give it one: dorlin password add ${lock}`);
      continue;
    }
    const head = ['id', 'label', '', ''].map((text) => paint.dim(text));
    print(columns([head, ...passwords.map(passwordRow)]));
  }
}

function passwordRow(one: PasswordListed): string[] {
  return [
    one.id,
    one.label,
    windowWords(one) + (one.counts ? '' : paint.yellow(' (not now)')),
    one.imported ? 'imported, for HTTP Basic' : one.canBeShown ? 'can be shown' : paint.yellow('only its hash is here'),
  ];
}
