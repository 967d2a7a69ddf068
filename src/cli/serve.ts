import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import type { Letter } from '../core/site-ports.js';
import { marksOfSource } from '../server/marked-pages.js';
import { startSite, type SiteServer, type SiteServerOptions, type SiteSource } from '../server/site-server.js';
import { guardFromFile, type FileGuard } from '../stores/file-guard.js';
import { upstreamOf } from '../server/upstream.js';
import { listBypasses } from '../owner/bypasses.js';
import { listLocks } from '../owner/locks.js';
import { folderOfSite, siteFolder } from '../owner/site-files.js';
import { leftOutWords, type LeftOut } from '../server/site-files.js';
import { waitingDraft } from '../stores/draft.js';
import { loadPolicy } from '../stores/policy-file.js';
import { makePolicyCommand } from './command.js';
import { paint, print } from './output.js';
import { defaultPort, portOf, urlAt } from './ports.js';
import { healthLine, startOperations, takeOperations, type OperationOptions, type Operations } from './operations.js';
import { takeStore, type ServeOptions } from './serve-options.js';
import { serveShared } from './serve-shared.js';
import { startTogether, type Started } from './started.js';
import { storeAddress } from '../stores/tie.js';
import { untilTold } from './told.js';
import { printPolicy, siteLog } from './site-log.js';

export function command(summary: string): Command {
  const made = makePolicyCommand('serve', summary, 'dorlin serve --folder dist --port 8080', { isFreshened: false });
  return takeOperations(takeStore(made))
    .option('--folder <dir>', 'the folder of the site’s files; else the policy’s `site.folder`')
    .option('--to <url>', 'another server to stand in front of, such as http://127.0.0.1:3000')
    .option('--port <port>', `where to listen; else ${defaultPort}, or the next that is free`)
    .option('--host <address>', 'on which address to listen; 0.0.0.0 for all', '127.0.0.1')
    .option('--console [port]', 'the owner’s console beside it, on this machine alone')
    .action(async (options: ServeOptions) => {
      const told = untilTold();
      const store = storeAddress(options.redis);
      const site =
        store === undefined
          ? await serve(options, { ...(options.console !== undefined && { consolePort: options.console }) })
          : await serveShared(store, options);
      await endWhenTold(site, told, options);
    });
}

/** Ends a site when that is told: at once by Ctrl-C, else when what is being answered is. */
export async function endWhenTold(
  site: SiteServer,
  told: ReturnType<typeof untilTold>,
  { patience }: OperationOptions,
): Promise<void> {
  const signal = await told;
  await site.close(signal === 'SIGINT' ? 0 : Number(patience ?? 10));
}

/** What else is served and said, by the demo. */
interface ServeExtras {
  /** Told where the site is, before anything of it is printed. */
  readonly onListening?: (url: string) => void;
  /** Prints more beneath the address. */
  readonly sayMore?: (url: string, policy: Policy, source: SiteSource | undefined) => void | Promise<void>;
  readonly around?: SiteServerOptions['around'];
  /** Starts the console as well: at this port, or wherever one is free. */
  readonly consolePort?: string | true | undefined;
  /** Whether nothing need stand behind the guard: web servers serve the site, and only ask. */
  readonly mayLackSite?: boolean;
  /** Sends letters to visitors in another way than by SMTP. */
  readonly sendLetter?: (letter: Letter) => Promise<void>;
}

/** Starts a site and says so. */
export async function serve(options: ServeOptions, extras: ServeExtras = {}): Promise<SiteServer> {
  return startTogether((started) => serveWith(started, options, extras));
}

async function serveWith(
  started: Started,
  options: ServeOptions,
  { onListening, sayMore, around, sendLetter, consolePort, mayLackSite }: ServeExtras,
): Promise<SiteServer> {
  const port = portOf(options.port);
  const asJson = options.json === true;
  const { site: about, source } = await siteAndSource(options, mayLackSite);
  const operations = await started.add(startOperations(options, false));
  const guard = await guardTold(options, { timeZone: about.timeZone, source, sendLetter, operations });
  const site = await started.add(
    startSite({
      guard: operations.measured(guard),
      source,
      host: options.host,
      port: port ?? defaultPort,
      mayMove: port === undefined,
      around,
      health: operations.health,
      tellsHealth: operations.isOnSite,
    }),
  );
  const url = urlAt(options.host, site.port);
  onListening?.(url);
  operations.note('listening', { url });
  if (asJson) print(JSON.stringify({ at: new Date().toISOString(), type: 'listening', url, ...source }));
  else {
    print();
    printPolicy(await listLocks(options.policy), options.policy);
    await printWarnings(
      options.policy,
      source === undefined || !('folder' in source) ? [] : await leftOutOf(options.policy, source.folder),
    );
    print();
    print(`  ${sourceWords(source)} at`);
    print(`  ${paint.bold(paint.cyan(url))}`);
    await sayMore?.(url, guard.policy(), source);
    if (operations.healthAt !== undefined) print(healthLine(operations.healthAt));
  }
  await started.add(startNights(options, guard, url));
  if (consolePort !== undefined && source !== undefined) {
    const { openConsole, tellConsole } = await import('./console.js');
    const opening = openConsole(options, consolePort === true ? undefined : consolePort, { source, siteUrl: url });
    await tellConsole(options, await started.add(opening));
  }
  if (!asJson) {
    print();
    print(paint.dim('  Ctrl-C ends it. Changes of the policy count at once.'));
    print();
  }
  return { port: site.port, close: started.close };
}

interface Told {
  readonly timeZone: string;
  readonly source: SiteSource | undefined;
  readonly sendLetter: ServeExtras['sendLetter'];
  readonly operations: Operations;
}

/** The guard of the policy's file, which tells both who looks on and who looks after it. */
async function guardTold(
  { policy: file, json }: ServeOptions,
  { timeZone, source, sendLetter, operations }: Told,
): Promise<FileGuard> {
  const log = siteLog(file, json === true, timeZone);
  const guard: FileGuard = await guardFromFile(file, {
    ...log,
    onEvent: (event, policy) => {
      operations.onEvent(event, policy);
      log.onEvent(event);
    },
    onChange: (before, after, opensAfter) => {
      operations.policyChanged(after);
      log.onChange?.(before, after, opensAfter);
    },
    onBroken: (problems) => {
      operations.broken(problems);
      log.onBroken?.(problems);
    },
    sendLetter,
    marksOf: marksOfSource(source, () => guard.policy().site),
  });
  return guard;
}

/** Patrols it by itself at night, where the policy's owner wishes that. */
async function startNights(options: ServeOptions, { policy }: FileGuard, url: string) {
  const asJson = options.json === true;
  // Loaded when the site is there already: what patrols is much.
  const { nightWatch } = await import('../owner/patrol/nightly.js');
  return nightWatch({
    policyFile: options.policy,
    policy,
    url,
    onDone: ({ findings, addresses }) => {
      const leaks = findings.filter(({ severity }) => severity === 'leak').length;
      if (asJson) print(JSON.stringify({ at: new Date().toISOString(), type: 'patrolled', addresses, leaks }));
      else
        print(`  Patrol: ${leaks === 0 ? 'nothing leaks' : paint.red(`${leaks} leaks`)}, of ${addresses} addresses.`);
    },
    onFailed: (problem) => {
      print(asJson ? JSON.stringify({ type: 'patrol-failed', problem }) : paint.red(`  Patrol: ${problem}`));
    },
  });
}

const sourceWords = (source: SiteSource | undefined) =>
  source === undefined ? 'Listening' : 'folder' in source ? `Serving ${source.folder}` : `In front of ${source.to}`;

/** What is in a folder, and is not served. */
async function leftOutOf(policyFile: string, folder: string): Promise<readonly LeftOut[]> {
  return (await folderOfSite(policyFile, await loadPolicy(policyFile), folder)).leftOut;
}

/** What an owner would wonder about later. */
async function printWarnings(policyFile: string, leftOut: readonly LeftOut[]): Promise<void> {
  const lines = leftOutWords(leftOut).map((words) => `Not served: ${words}.`);
  const idle = (await listBypasses(policyFile)).bypasses.flatMap(({ name, idle }) =>
    idle === undefined ? [] : [`The bypass ${name} lets nobody in: ${idle}.`],
  );
  lines.push(...idle);
  if ((await waitingDraft(policyFile)) !== undefined) {
    lines.push('A draft is waiting. What it says counts once you run `dorlin live`.');
  }
  if (lines.length > 0) print();
  for (const line of lines) print(`  ${paint.yellow(line)}`);
}

/** What is to be served, found out before anything is started that would have to be ended. */
async function siteAndSource(
  options: ServeOptions,
  mayLackSite = false,
): Promise<{ site: Policy['site']; source: SiteSource | undefined }> {
  const policy = await loadPolicy(options.policy);
  const { site } = policy;
  if (mayLackSite && (options.to ?? options.folder ?? site.folder) === undefined) {
    return { site, source: undefined };
  }
  if (options.to === undefined) {
    return { site, source: { folder: siteFolder(options.policy, policy, options.folder) } };
  }
  if (options.folder !== undefined) {
    throw new DorlinError('call-wrong', '`--folder` and `--to` cannot both be the site.');
  }
  return { site, source: { to: upstreamOf(options.to) } };
}
