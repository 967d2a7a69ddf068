import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { startConsole, type RunningConsole } from '../console/start.js';
import { endSessions, invite, listPeople, revokeInvite, type Invited } from '../owner/people/people.js';
import { siteFolder } from '../owner/site-files.js';
import type { SiteSource } from '../server/site-server.js';
import { loadPolicy } from '../stores/policy-file.js';
import { storeAddress, tieOf } from '../stores/tie.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { columns, paint, print, printJson } from './output.js';
import { consolePort, portOf } from './ports.js';
import { untilTold } from './told.js';

interface ConsoleOptions extends CommonOptions {
  readonly port?: string;
  readonly host: string;
  readonly origin?: string;
  readonly to?: string;
}

export function command(summary: string): Command {
  return (
    makePolicyCommand('console', summary, 'dorlin console\ndorlin console invite --keeper members')
      .usage('[COMMAND] [options]')
      // What stands behind the name of one of its commands is for that one.
      .enablePositionalOptions()
      .option('--port <port>', `where to listen; else ${consolePort}, or the next that is free`)
      .option('--host <address>', 'on which address to listen', '127.0.0.1')
      .option('--origin <url>', 'under which address it is reached, behind a proxy: https://console.example')
      .option('--to <url>', 'where the site runs, if it is no folder of files')
      .option('--no-open', 'print its address only; a browser is never opened by itself')
      .action(run)
      .addCommand(inviteCommand())
      .addCommand(revokeCommand())
      .addCommand(peopleCommand())
      .addCommand(endCommand())
  );
}

async function run(options: ConsoleOptions): Promise<void> {
  const told = untilTold();
  const running = await openConsole(options, options.port, {
    host: options.host,
    origin: originOf(options.origin),
    source: await sourceOf(options),
  });
  await tellConsole(options, running);
  const end = await keepShared(options);
  await told;
  await end();
  await running.close();
}

/** Works on what is in the shared store as it is there, where the policy is a copy of one. */
async function keepShared({ policy, json }: ConsoleOptions): Promise<() => Promise<void>> {
  if (storeAddress() === undefined || (await tieOf(policy)) === undefined) return () => Promise.resolve();
  const { keepFresh } = await import('../stores/redis/working-copy.js');
  return keepFresh(policy, (problem) => {
    print(
      json === true ? JSON.stringify({ type: 'store-failed', problem }) : paint.red(`  The shared store: ${problem}`),
    );
  });
}

/** Starts a console beside a command that has more to do. */
export async function openConsole(
  { policy }: Pick<CommonOptions, 'policy'>,
  port: string | undefined,
  {
    host = '127.0.0.1',
    origin,
    source,
    siteUrl,
  }: {
    readonly host?: string;
    readonly origin?: string | undefined;
    readonly source?: SiteSource | undefined;
    readonly siteUrl?: string | undefined;
  },
): Promise<RunningConsole> {
  const wanted = portOf(port);
  return startConsole({
    policyFile: policy,
    host,
    port: wanted ?? consolePort,
    mayMove: wanted === undefined,
    origin,
    source,
    siteUrl,
  });
}

/** Says where a console is, and how its first owner gets in. */
export async function tellConsole(options: CommonOptions, { url }: RunningConsole): Promise<void> {
  const { people } = await listPeople(options.policy);
  const first = people.length === 0 ? await invite(options.policy) : undefined;
  const link = first && `${url}invited#${first.token}`;
  if (options.json === true) {
    print(JSON.stringify({ at: new Date().toISOString(), type: 'console', url, ...(link && { invitation: link }) }));
    return;
  }
  print();
  print('  The console is at');
  print(`  ${paint.bold(paint.cyan(link ?? url))}`);
  if (link !== undefined) {
    print(paint.dim('  Nobody has set it up yet. This address does so, once, within three days; it is for you alone.'));
  }
  print();
}

const originOf = (text: string | undefined): string | undefined => {
  if (text === undefined) return undefined;
  if (URL.canParse(text) && /^https?:\/\/[^/?#\s@]+\/?$/.test(text)) return new URL(text).origin;
  throw new DorlinError('origin-invalid', `\`${text}\` is no scheme and host.`);
};

async function sourceOf({ policy: file, to }: ConsoleOptions): Promise<SiteSource | undefined> {
  if (to !== undefined) return { to: originOf(to) ?? to };
  const policy = await loadPolicy(file).catch((error: unknown) => {
    // The console leads through making one.
    if (error instanceof DorlinError && error.code === 'policy-missing') return undefined;
    throw error;
  });
  return policy?.site.folder === undefined ? undefined : { folder: siteFolder(file, policy) };
}

function inviteCommand(): Command {
  return makePolicyCommand(
    'invite',
    'invite somebody to the console, or let somebody set a new password',
    'dorlin console invite --keeper members',
  )
    .option('--keeper <lock...>', 'may change and hand out the ways in of these locks, and nothing else')
    .option('--person <name>', 'who is there already, and has forgotten the password')
    .option('--at <url>', 'where the console is', `http://127.0.0.1:${consolePort}/`)
    .action(async (options: CommonOptions & { keeper?: string[]; person?: string; at: string }) => {
      const { keeper, person } = options;
      const invited = await invite(options.policy, {
        ...(keeper && { role: 'keeper' as const, locks: keeper }),
        person,
      });
      const at = `${originOf(options.at) ?? ''}/invited#${invited.token}`;
      if (options.json === true) printJson({ ...invited, address: at });
      else printInvited(invited, at);
    });
}

function printInvited({ role, locks }: Invited, address: string): void {
  print();
  print(`  ${paint.bold(paint.cyan(address))}`);
  const what = role === 'owner' ? 'everything' : `the ways in of ${locks.join(', ')}`;
  print(paint.dim(`  It counts once, within three days, and is for whoever is to look after ${what}.`));
  print();
}

function peopleCommand(): Command {
  return makePolicyCommand('people', 'who may use the console', 'dorlin console people').action(
    async (options: CommonOptions) => {
      const list = await listPeople(options.policy);
      if (options.json === true) {
        printJson(list);
        return;
      }
      if (list.people.length === 0) print('Nobody has set up the console yet. `dorlin console` prints how.');
      else
        print(
          columns(
            list.people.map(({ name, role, locks, since }) => [
              paint.bold(name),
              role === 'owner' ? 'owner' : `keeper of ${locks.join(', ')}`,
              paint.dim(`since ${since.slice(0, 10)}`),
            ]),
          ),
        );
      if (list.invites.length === 0) return;
      print('\nInvitations that nobody has taken:');
      print(
        columns(
          list.invites.map(({ id, role, locks, person, until }) => [
            paint.bold(id),
            person !== undefined
              ? `a new password for ${person}`
              : role === 'owner'
                ? 'an owner'
                : `a keeper of ${locks.join(', ')}`,
            paint.dim(`until ${until.slice(0, 16).replace('T', ' ')} UTC`),
          ]),
        ),
      );
      print(paint.dim('Revoke one with `dorlin console revoke ID`.'));
    },
  );
}

function revokeCommand(): Command {
  return makePolicyCommand('revoke', 'revoke an invitation that nobody has taken', 'dorlin console revoke hbmkqp')
    .argument('<id>', 'the invitation, as `dorlin console people` lists it')
    .action(async (id: string, options: CommonOptions) => {
      const revoked = await revokeInvite(options.policy, id);
      if (options.json === true) printJson(revoked);
      else print(`Revoked the invitation ${id}.`);
    });
}

function endCommand(): Command {
  return makePolicyCommand('end-sessions', 'sign somebody out everywhere, or everybody', 'dorlin console end-sessions')
    .argument('[person]', 'by name; else everybody')
    .action(async (person: string | undefined, options: CommonOptions) => {
      const ended = await endSessions(options.policy, person);
      if (options.json === true) printJson(ended);
      else
        print(
          ended.people.length === 0 ? 'Nobody may use the console yet.' : `Signed out: ${ended.people.join(', ')}.`,
        );
    });
}
