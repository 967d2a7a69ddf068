import type { Command } from 'commander';
import { addBypass, listBypasses, removeBypass, type BypassStanding } from '../owner/bypasses.js';
import { makeEditCommand, makeGroup, makePolicyCommand, type CommonOptions } from './command.js';
import { timeWords } from './lock.js';
import { columns, listed, paint, print, printJson } from './output.js';

interface AddOptions extends CommonOptions {
  readonly address?: string[];
  readonly role?: string[];
  readonly person?: string[];
  readonly signedIn?: boolean;
  readonly lock?: string[];
  readonly everyLock?: boolean;
  readonly from?: string;
  readonly until?: string;
  readonly site?: string;
}

export function command(summary: string): Command {
  const group = makeGroup('bypass', summary, 'dorlin bypass add dome --address 203.0.113.0/24 --lock opening');
  group.addCommand(
    makeEditCommand(
      'add',
      'let somebody in without a password, or add to who is',
      "dorlin bypass add staff --role editor warden --every-lock\ndorlin bypass add office --address mine --lock opening --until '7 days'",
    )
      .usage('NAME [options]')
      .argument('<name>')
      .option('--address <address...>', 'from these addresses or ranges; `mine` asks the running site (at --site)')
      .option('--site <url>', 'where the site runs, for `--address mine`; else `site.origin`')
      .option('--role <role...>', 'with any of these roles')
      .option('--person <name...>', 'these people')
      .option('--signed-in', 'whoever is signed in')
      .option('--lock <lock...>', 'at these locks')
      .option('--every-lock', 'at all locks, those to come as well')
      .option('--from <time>', 'when it begins: 2026-12-01, or a span from now; `none` for at once')
      .option('--until <time>', 'when it ends by itself: 2027-01-31, or `7 days`; `none` for never')
      .action(add),
  );
  group.addCommand(
    makeEditCommand(
      'remove',
      'end a bypass at every lock, or at some',
      'dorlin bypass remove dome\ndorlin bypass remove staff --lock trustees',
    )
      .usage('NAME [options]')
      .argument('<name>')
      .option('--lock <lock...>', 'at these locks alone')
      .action(remove),
  );
  group.addCommand(
    makePolicyCommand('list', 'who is let in without a password, and where', 'dorlin bypass list').action(list),
  );
  return group;
}

async function add(name: string, options: AddOptions): Promise<void> {
  const time = (text: string | undefined) => (text === 'none' ? null : text);
  const { policy, address: addresses, role: roles, person: people, lock: locks } = options;
  const { signedIn, everyLock, site } = options;
  const when = { from: time(options.from), until: time(options.until) };
  const order = { addresses, roles, people, signedIn, locks, everyLock, site, ...when };
  const added = await addBypass(policy, name, order);
  if (options.json === true) {
    printJson(added);
    return;
  }
  const timeSaid = (added.from ?? added.until) !== undefined ? `, ${timeWords(added)}` : '';
  if (added.locks.length > 0) print(`${name} lets in ${whom(added)} at ${listed(added.locks)}${timeSaid}.`);
  else {
    print(`Added ${name}, for ${whom(added)}. It counts at no lock yet:`);
    print(`to have it count: dorlin bypass add ${name} --lock LOCK`);
  }
  if (added.narrowed)
    print(
      paint.yellow(
        'All of that must hold now, so it lets in fewer than before. For either of them, make a second bypass.',
      ),
    );
  if (added.idle !== undefined) print(paint.yellow(`It lets nobody in yet: ${added.idle}.`));
}

async function remove(name: string, options: CommonOptions & { readonly lock?: string[] }): Promise<void> {
  const removed = await removeBypass(options.policy, name, options.lock);
  if (options.json === true) {
    printJson(removed);
    return;
  }
  const { locks, ended } = removed;
  if (locks.length === 0) print(`${ended ? `Removed ${name}, which` : name} counted at no lock of those.`);
  else
    print(
      `${ended ? `Removed ${name}` : `${name} stays elsewhere`}: nobody is let in by it any more at ${listed(locks)}.`,
    );
}

async function list(options: CommonOptions): Promise<void> {
  const found = await listBypasses(options.policy);
  if (options.json === true) {
    printJson(found);
    return;
  }
  if (found.bypasses.length === 0) {
    print('Nobody is let in without a password.');
    return;
  }
  const rows = found.bypasses.map((one) => [
    paint.bold(one.name),
    whom(one),
    one.locks.join(', ') || paint.yellow('at no lock'),
    timeWords(one) + (one.counts ? '' : paint.yellow(' (not now)')),
  ]);
  print(columns(rows));
  for (const { name, idle } of found.bypasses) {
    if (idle !== undefined) print(`\n${paint.yellow(`${name} lets nobody in: ${idle}.`)}`);
  }
}

/** The conditions of a bypass in words. */
function whom({ people, roles, signedIn, addresses }: BypassStanding): string {
  const parts = [
    people && `the person ${people.join(' or ')}`,
    roles && `the role ${roles.join(' or ')}`,
    signedIn && 'anybody signed in',
    addresses && `the address ${addresses.join(' or ')}`,
  ];
  return parts.filter((part) => part !== undefined && part !== false).join(', with ');
}
