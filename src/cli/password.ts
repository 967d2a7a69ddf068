import { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { parseSpan, spanExample } from '../core/policy/span.js';
import { formatMoment } from '../core/windows/moment.js';
import { isWithin, readWindow } from '../core/windows/window.js';
import { openKeys } from '../stores/keeping.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { recallPassword } from '../stores/recall-file.js';
import { makeEditCommand, makePolicyCommand, type CommonOptions } from './command.js';
import { columns, paint, print, printJson } from './output.js';
import { choosePassword, type PasswordInputOptions } from './password-input.js';
import {
  addressOn,
  giveOut,
  handOutOf,
  pathOf,
  withHandingOut,
  writeSheet,
} from './handing-out.js';
import type { HandingOutOptions } from './handing-out.js';
import { exportUsers, importUsers } from './password-files.js';
import {
  forgetEnded,
  freeLabel,
  lockNamed,
  passwordNamed,
  passwordsOf,
  writePassword,
} from './password-writing.js';
import { withoutPassword } from './site-log.js';

interface NewOptions extends CommonOptions, PasswordInputOptions {
  readonly label?: string;
  readonly from?: string;
  readonly until?: string;
  readonly overlap?: string;
}

export function command(summary: string): Command {
  const group = new Command('password')
    .description(summary)
    .exitOverride()
    .addHelpText('after', "\nExample:\n  dorlin password add members --label 'Season 2026'");
  group.addCommand(
    withInput(
      makeEditCommand(
        'add',
        'give a lock one more password',
        "dorlin password add members --label 'Season 2026'",
      ),
    )
      .usage('LOCK [options]')
      .argument('<lock>')
      .option('--label <label>', 'whom the password is for; only you see it')
      .option('--from <time>', 'when it begins to count, such as 2026-09-01')
      .option('--until <time>', 'when it ends by itself, such as 2027-09-14T12:00')
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
    withInput(
      makeEditCommand(
        'rotate',
        'put a new password in an old one’s place, at once',
        "dorlin password rotate members 'Season 2026'",
      ),
    )
      .usage('LOCK [PASSWORD] [options]')
      .argument('<lock>')
      .argument('[password]', 'its id or label, where the lock has several')
      .option('--label <label>', 'a new label; else the old one stays')
      .option('--overlap <span>', 'how long the old one goes on counting, such as 14d')
      .action(rotate),
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
    makePolicyCommand(
      'list',
      'the passwords of a lock, without revealing them',
      'dorlin password list members',
    )
      .usage('LOCK [options]')
      .argument('<lock>')
      .action(list),
  );
  group.addCommand(
    makeEditCommand(
      'import',
      'take the users of an htpasswd file, for HTTP Basic',
      'dorlin password import trustees .htpasswd',
    )
      .usage('LOCK FILE [options]')
      .argument('<lock>')
      .argument('<file>', 'the file, or - for standard input; bcrypt and apr1 hashes')
      .option('--replace', 'put them in the place of those with the same name')
      .option('--always', 'ask everybody in the browser’s own prompt (`basic: always`)')
      .action(importUsers),
  );
  group.addCommand(
    makePolicyCommand(
      'export',
      'the passwords as an htpasswd file, with bcrypt',
      'dorlin password export press --out press.htpasswd',
    )
      .usage('LOCK [options]')
      .argument('<lock>')
      .option('--out <file>', 'where to write it; else to standard output')
      .option('--skip', 'leave out what cannot be exported')
      .action(exportUsers),
  );
  return group;
}

function withInput(made: Command): Command {
  return made
    .option('--password-stdin', 'read the password from standard input')
    .option('--generate', 'have one made without asking')
    .option('--words <count>', 'how many words a made one has', '4');
}

async function add(name: string, options: NewOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const lock = lockNamed(policy, name);
  const label = options.label ?? freeLabel('Password', passwordsOf(lock));
  const chosen = await choosePassword(options, siteWords(policy, name, label));
  const id = await writePassword(
    name,
    chosen.password,
    { label, ...windowOf(options, policy) },
    options,
  );
  announce({ lock: name, id, label, ...chosen }, options, `Added to ${name}`);
}

async function rotate(name: string, which: string | undefined, options: NewOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const old = passwordNamed(lockNamed(policy, name), which);
  const label = options.label ?? old.label;
  const chosen = await choosePassword(options, siteWords(policy, name, label));
  const { seconds } = overlapOf(options);
  const ends = formatMoment(Date.now() / 1000 + seconds, policy.site.timeZone);
  const replaces = seconds > 0 ? { id: old.id, label: old.label, until: ends } : { id: old.id };
  const id = await writePassword(name, chosen.password, { label }, options, replaces);
  announce({ lock: name, id, label, ...chosen }, options, `Rotated in ${name}`);
  if (options.json === true) return;
  print(
    seconds > 0
      ? `The old one goes on counting until ${ends}. Whoever came in by it is out then.`
      : 'Whoever came in by the old one is out as of now.',
  );
}

async function retire(name: string, which: string, options: CommonOptions): Promise<void> {
  const { before, after } = await editPolicyFile(options.policy, (editor) => {
    editor.removePassword(name, passwordNamed(lockNamed(editor.before, name), which).id);
  });
  await forgetEnded(options.policy);
  const old = passwordNamed(lockNamed(before, name), which);
  const left = passwordsOf(lockNamed(after, name)).length;
  if (options.json === true) {
    printJson({ lock: name, id: old.id, label: old.label, passwordsLeft: left });
    return;
  }
  print(`Retired ${paint.bold(old.label)} of ${name}. Whoever came in by it is out as of now.`);
  if (left === 0) print(withoutPassword(lockNamed(after, name)));
}

async function show(
  name: string,
  which: string | undefined,
  options: CommonOptions & HandingOutOptions,
): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const lock = lockNamed(policy, name);
  const { id, label, window } = passwordNamed(lock, which);
  const password = await recallPassword(options.policy, name, id, await openKeys(options.policy));
  if (options.json !== true) print(password);
  const isHandedOut = options.text ?? options.qr ?? options.svg !== undefined;
  if (!isHandedOut) {
    if (options.json === true) printJson({ lock: name, id, label, password });
    return;
  }
  const address = addressOn(policy, pathOf(lock), options.origin);
  const user = lock.basic === 'always' ? label : undefined;
  const given = { address, password, user, until: window.until };
  const out = handOutOf(lock, policy, given, options);
  if (options.json === true) {
    const { text, mailto, sms } = out;
    if (options.svg !== undefined) await writeSheet(out, given, policy.site.name, options.svg);
    printJson({ lock: name, id, label, password, address, text, mailto, sms });
  } else await giveOut(out, given, policy, options);
}

async function list(name: string, options: CommonOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const lock = lockNamed(policy, name);
  const moment = (seconds: number | undefined) =>
    seconds === undefined ? undefined : formatMoment(seconds, policy.site.timeZone);
  const keys = await openKeys(options.policy);
  const passwords = await Promise.all(
    passwordsOf(lock).map(async ({ id, label, window, ...rest }) => {
      const canBeShown = await recallPassword(options.policy, name, id, keys).then(
        () => true,
        () => false,
      );
      const counts = isWithin(window, Date.now() / 1000);
      return {
        id,
        label,
        imported: 'importedHash' in rest,
        from: moment(window.from),
        until: moment(window.until),
        counts,
        canBeShown,
      };
    }),
  );
  if (options.json === true) {
    printJson({ lock: name, passwords });
    return;
  }
  if (passwords.length === 0) {
    print(`${withoutPassword(lock)} To give it one: dorlin password add ${name}`);
    return;
  }
  const rows = passwords.map(({ id, label, imported, from, until, counts, canBeShown }) => [
    id,
    label,
    [from && `from ${from}`, until && `until ${until}`].filter(Boolean).join(' ') +
      (counts ? '' : paint.yellow(' (not now)')),
    imported
      ? 'imported, for HTTP Basic'
      : canBeShown
        ? 'can be shown'
        : paint.yellow('only its hash is here'),
  ]);
  print(columns([['id', 'label', '', ''].map((text) => paint.dim(text)), ...rows]));
}

/** @throws DorlinError `call-wrong` */
function overlapOf({ overlap }: NewOptions): { seconds: number } {
  if (overlap === undefined) return { seconds: 0 };
  const seconds = parseSpan(overlap);
  if (seconds !== undefined) return { seconds };
  throw new DorlinError('call-wrong', `\`${overlap}\` is no span of time.`, {
    mend: `Write for example ${spanExample}.`,
  });
}

/** The window of a new password as it is written. @throws DorlinError `call-wrong` */
function windowOf({ from, until }: NewOptions, policy: Policy): { from?: string; until?: string } {
  const window = readWindow({ from, until }, policy.site.timeZone, 'opens');
  if ('problem' in window)
    throw new DorlinError('call-wrong', `--${window.key}: ${window.problem}.`);
  return { ...(from !== undefined && { from }), ...(until !== undefined && { until }) };
}

interface Announced {
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  readonly password: string;
  readonly made: boolean;
  readonly strength: string;
}

function announce(told: Announced, { json }: CommonOptions, heading: string): void {
  if (json === true) {
    printJson(told);
    return;
  }
  print(`${heading}, for ${told.label}:`);
  print();
  print(`  ${paint.bold(told.password)}`);
  print();
  print(told.strength);
}

function siteWords(policy: Policy, lock: string, label: string): string[] {
  return [policy.site.name, ...policy.site.name.split(/\s+/), lock, label, ...label.split(/\s+/)];
}
