import { Command } from 'commander';
import { isAddressRange } from '../core/bypass/address.js';
import type { Bypass } from '../core/bypass/bypass.js';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import type { BypassEntry } from '../core/policy/edit.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { makeEditCommand, makePolicyCommand, type CommonOptions } from './command.js';
import { addressOn } from './handing-out.js';
import { columns, listed, paint, print, printJson } from './output.js';

interface AddOptions extends CommonOptions {
  readonly address?: string[];
  readonly role?: string[];
  readonly person?: string[];
  readonly signedIn?: boolean;
  readonly lock?: string[];
  readonly everyLock?: boolean;
  readonly site?: string;
}

export function command(summary: string): Command {
  const group = new Command('bypass')
    .description(summary)
    .exitOverride()
    .addHelpText(
      'after',
      '\nExample:\n  dorlin bypass add dome --address 203.0.113.0/24 --lock opening',
    );
  group.addCommand(
    makeEditCommand(
      'add',
      'let somebody in without a password',
      'dorlin bypass add staff --role editor warden --every-lock',
    )
      .usage('NAME [options]')
      .argument('<name>')
      .option(
        '--address <address...>',
        'from these addresses or ranges; `mine` asks the running site',
      )
      .option('--site <url>', 'where the site runs, for `mine`; else `site.origin`')
      .option('--role <role...>', 'with any of these roles')
      .option('--person <name...>', 'these people')
      .option('--signed-in', 'whoever is signed in')
      .option('--lock <lock...>', 'at these locks')
      .option('--every-lock', 'at all locks, those to come as well')
      .action(add),
  );
  group.addCommand(
    makeEditCommand('remove', 'end a bypass at every lock', 'dorlin bypass remove dome')
      .usage('NAME [options]')
      .argument('<name>')
      .action(remove),
  );
  group.addCommand(
    makePolicyCommand(
      'list',
      'who is let in without a password, and where',
      'dorlin bypass list',
    ).action(list),
  );
  return group;
}

async function add(name: string, options: AddOptions): Promise<void> {
  const addresses = await resolvedAddresses(options);
  const wrong = addresses?.find((address) => !isAddressRange(address));
  if (wrong !== undefined) {
    throw new DorlinError('call-wrong', `\`${wrong}\` is no address or range.`, {
      mend: 'Write an address such as `203.0.113.7`, or a range such as `2001:db8:40::/48`.',
    });
  }
  const { role: roles, person: people, signedIn, everyLock } = options;
  if (!(addresses ?? roles ?? people ?? signedIn)) {
    throw new DorlinError('call-wrong', 'A bypass without a condition would let in everybody.', {
      mend: 'Say whom it is for: --address, --role, --person or --signed-in.',
    });
  }
  const entry: BypassEntry = {
    ...(addresses && { addresses }),
    ...(roles && { roles }),
    ...(people && { people }),
    ...(signedIn && { signedIn: true as const }),
    ...(everyLock && { everyLock }),
  };
  const locks = options.lock ?? [];
  const { after } = await editPolicyFile(options.policy, (editor) => {
    if (editor.before.bypasses.has(name)) {
      throw new DorlinError('call-wrong', `There is a bypass \`${name}\` already.`, {
        mend: `Remove it first: dorlin bypass remove ${name}`,
      });
    }
    editor.setBypass(name, entry);
    for (const lock of new Set(locks)) editor.addBypassTo(lock, name);
  });
  const at = locksWith(after, name);
  if (options.json === true) printJson({ name, ...entry, locks: at });
  else if (at.length > 0)
    print(`${name} lets in ${whom(after.bypasses.get(name))} at ${listed(at)}.`);
  else {
    print(`Added ${name}, for ${whom(after.bypasses.get(name))}. It counts at no lock yet:`);
    print('write its name under `bypass:` of a lock, or add it anew with --lock or --every-lock.');
  }
}

/** The addresses, with the caller's own in the place of `mine`. */
async function resolvedAddresses({
  address,
  policy,
  site,
}: AddOptions): Promise<string[] | undefined> {
  if (address?.includes('mine') !== true) return address;
  const loaded = await loadPolicy(policy);
  const own = await ownAddress(addressOn(loaded, `${loaded.site.prefix}/address`, site));
  return [...new Set(address.map((one) => (one === 'mine' ? own : one)))];
}

/** Asks a running site from which address this machine visits it. */
async function ownAddress(url: string): Promise<string> {
  const unknown = (why: string, cause?: unknown) =>
    new DorlinError('address-unknown', `${url} ${why}.`, { cause });
  let response: Response;
  try {
    const headers = { accept: 'application/json' };
    response = await fetch(url, {
      headers,
      redirect: 'manual',
      signal: AbortSignal.timeout(10_000),
    });
  } catch (cause) {
    throw unknown('does not answer', cause);
  }
  if (response.status !== 200) throw unknown(`answers ${response.status}`);
  const told = (await response.json().catch(() => ({}))) as { address?: unknown };
  if (typeof told.address !== 'string' || !isAddressRange(told.address)) {
    throw unknown('does not know it either');
  }
  return told.address;
}

async function remove(name: string, options: CommonOptions): Promise<void> {
  const { before } = await editPolicyFile(options.policy, (editor) => {
    if (!editor.before.bypasses.has(name)) {
      const names = [...editor.before.bypasses.keys()].join(', ') || 'none';
      throw new DorlinError('call-wrong', `There is no bypass \`${name}\`. There are: ${names}.`);
    }
    editor.removeBypass(name);
  });
  const locks = locksWith(before, name);
  if (options.json === true) printJson({ name, locks });
  else if (locks.length === 0) print(`Removed ${name}, which counted at no lock.`);
  else print(`Removed ${name}: nobody is let in by it any more at ${listed(locks)}.`);
}

async function list(options: CommonOptions): Promise<void> {
  const policy = await loadPolicy(options.policy);
  const all = [...policy.bypasses.values()];
  if (options.json === true) {
    printJson({
      bypasses: all.map((bypass) => ({ ...bypass, locks: locksWith(policy, bypass.name) })),
    });
  } else if (all.length === 0) {
    print('Nobody is let in without a password.');
  } else {
    print(
      columns(
        all.map((bypass) => [
          paint.bold(bypass.name),
          whom(bypass),
          locksWith(policy, bypass.name).join(', ') || paint.yellow('at no lock'),
        ]),
      ),
    );
  }
}

function locksWith(policy: Policy, name: string): string[] {
  return [...policy.locks.values()]
    .filter(({ bypasses }) => bypasses.some((bypass) => bypass.name === name))
    .map((lock) => lock.name);
}

/** The conditions of a bypass in words. */
function whom(bypass: Bypass | undefined): string {
  const parts = [
    bypass?.people && `the person ${bypass.people.join(' or ')}`,
    bypass?.roles && `the role ${bypass.roles.join(' or ')}`,
    bypass?.signedIn && 'anybody signed in',
    bypass?.addresses && `the address ${bypass.addresses.join(' or ')}`,
  ];
  return parts.filter((part) => part !== undefined).join(', with ');
}
