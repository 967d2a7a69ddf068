import { resolve } from 'node:path';
import { DorlinError } from '../core/errors.js';
import { printable } from '../core/journal/words.js';
import type { Policy } from '../core/policy/types.js';
import type { GuardEvent } from '../guard/events.js';
import { marksOfSource } from '../server/marked-pages.js';
import type { OneSiteGuard, ServedGuard } from '../server/served-guard.js';
import { startSite, type SiteServer, type SiteSource } from '../server/site-server.js';
import { upstreamOf } from '../server/upstream.js';
import { ask, textOf } from '../stores/redis/client.js';
import { connectRedis } from '../stores/redis/connect.js';
import { guardFromRedis, guardsFromRedis, redisStores, type RedisGuardOptions } from '../stores/redis/stores.js';
import { loadPolicy } from '../stores/policy-file.js';
import { tieOf } from '../stores/tie.js';
import { tokenKeysFrom } from '../stores/token-keys.js';
import { entryWords } from './event-words.js';
import { healthLine, startOperations, type Operations } from './operations.js';
import { paint, print } from './output.js';
import { defaultPort, portOf, urlAt } from './ports.js';
import { eventAsEntry } from './site-log.js';
import type { ServeOptions } from './serve-options.js';
import { startTogether } from './started.js';

/** How it is served where there is no site behind: web servers only ask. */
interface SharedExtras {
  readonly mayLackSite?: boolean;
}

/**
 * Serves one site of the store that many machines share, or every one by its host.
 * @throws DorlinError `source-unknown`, `store-away`, `call-wrong`, `port-taken`
 */
export async function serveShared(
  address: string,
  options: ServeOptions,
  { mayLackSite = false }: SharedExtras = {},
): Promise<SiteServer> {
  if (options.console !== undefined) {
    throw new DorlinError('call-wrong', 'The console works on a copy of the policy, not beside many guards.', {
      mend: 'Run `dorlin pull` in a folder of its own, and `dorlin console` there.',
    });
  }
  const port = portOf(options.port);
  const source = sourceOf(options, mayLackSite);
  return startTogether(async (started) => {
    const { client } = await started.add(connectRedis(address));
    const operations = await started.add(startOperations(options, true));
    const { server, what } = await startGuarded(options, client, operations, source, port);
    await started.add(server);
    const url = urlAt(options.host, server.port);
    await sayStarted(options, { url, what, source, operations, client });
    return { port: server.port, close: started.close };
  });
}

type Client = Awaited<ReturnType<typeof connectRedis>>['client'];

async function startGuarded(
  options: ServeOptions,
  client: Client,
  operations: Operations,
  source: SiteSource | undefined,
  port: number | undefined,
): Promise<{ readonly server: SiteServer; readonly what: string }> {
  const news = newsOf(options.json === true, operations);
  const { guard, what } = await guardOf(options, client, news, source, operations);
  const server = await startSite({
    guard: operations.measured(guard),
    source,
    host: options.host,
    port: port ?? defaultPort,
    mayMove: port === undefined,
    health: operations.health,
    tellsHealth: operations.isOnSite,
  });
  return { server, what };
}

async function guardOf(
  options: ServeOptions,
  client: Client,
  news: RedisGuardOptions,
  source: SiteSource | undefined,
  { tellVersion }: Operations,
): Promise<{ readonly guard: OneSiteGuard | ServedGuard; readonly what: string }> {
  if (options.everySite === true) {
    if (options.site !== undefined) throw new DorlinError('call-wrong', '`--site` and `--every-site` cannot both be.');
    if (source !== undefined && 'folder' in source) {
      throw new DorlinError('call-wrong', 'A folder is one site, and this serves every site of the store.', {
        mend: 'Name the server behind it with `--to`.',
      });
    }
    // Nobody is known by a token: policies of others are not to say whom this machine asks for keys.
    const marksOf = marksOfSource(source, missing);
    const guard = await guardsFromRedis(client, { ...news, marksOf });
    return { guard, what: `every site of the store (${(await guard.stores.sites.list()).length})` };
  }
  const id = options.site ?? (await siteHere(options.policy)) ?? (await onlySite(client));
  let last: Policy | undefined;
  const marksOf = marksOfSource(source, () => (last ?? missing()).site);
  const tokenKeys = tokenKeysFrom(process.cwd());
  const guard = await guardFromRedis(client, id, { ...news, tokenKeys, marksOf });
  tellVersion(guard.version);
  // Once it was taken out nothing is answered by it, but what is behind asks it still.
  const policy = () => (last = guard.policy() ?? last ?? missing());
  policy();
  return { guard: { ...guard, policy, file: resolve(options.policy) }, what: id };
}

const missing = (): never => {
  throw new DorlinError('source-unknown', 'The site was taken out of the store.');
};

/** The site that the policy here is a copy of, or its own. */
async function siteHere(policyFile: string): Promise<string | undefined> {
  const tie = await tieOf(policyFile);
  if (tie !== undefined) return tie.site;
  const policy = await loadPolicy(policyFile).catch((error: unknown) => {
    if (error instanceof DorlinError && error.code === 'policy-missing') return undefined;
    throw error;
  });
  return policy?.site.id;
}

async function onlySite(client: Client): Promise<string> {
  const all = await redisStores(client).sites.list();
  const [only] = all;
  if (only !== undefined && all.length === 1) return only;
  throw new DorlinError('source-unknown', `It is not said which of the ${all.length} sites of the store to serve.`, {
    mend: 'Name it with `--site`, or serve all by their hosts with `--every-site`; `dorlin push` brings one in.',
  });
}

function sourceOf({ folder, to }: ServeOptions, mayLackSite: boolean): SiteSource | undefined {
  if (folder !== undefined && to !== undefined) {
    throw new DorlinError('call-wrong', '`--folder` and `--to` cannot both be the site.');
  }
  if (to !== undefined) return { to: upstreamOf(to) };
  if (folder !== undefined) return { folder: resolve(folder) };
  if (mayLackSite) return undefined;
  throw new DorlinError('call-wrong', 'It is not said what to serve.', {
    mend: 'Name the folder of the site’s files with `--folder`, or the server behind it with `--to`.',
  });
}

/** What a service over the shared store tells: one line, or one JSON object, per event. */
function newsOf(asJson: boolean, operations: Operations): RedisGuardOptions {
  const say = (json: object, ...words: string[]) => {
    const at = new Date().toISOString();
    if (asJson) print(JSON.stringify({ at, ...json }));
    else print([paint.dim(at.slice(11, 19)), ...words].join('  '));
  };
  const name = (policy: Policy | undefined) => policy?.site.id ?? '';
  return {
    onEvent(event: GuardEvent, policy?: Policy) {
      operations.onEvent(event, policy);
      const words =
        event.type === 'failed' || event.type === 'request-failed'
          ? [paint.red('failed, so nobody was let in:'), printable(event.message)]
          : [...entryWords(eventAsEntry(event)), paint.dim(event.address)];
      say({ site: policy?.site.id, ...event }, name(policy), ...words);
    },
    onChange(before, after) {
      operations.policyChanged(after ?? before);
      const type = after === undefined ? 'site-gone' : 'policy-changed';
      say(
        { type, site: before.site.id },
        name(before),
        after === undefined ? 'was taken out' : paint.bold('the policy changed'),
      );
    },
    onBroken(problems, site) {
      operations.broken(problems, site);
      say(
        { type: 'policy-broken', site, problems },
        site,
        paint.red('the policy is broken; the one before it stays:'),
        problems,
      );
    },
    onAway(problem) {
      operations.store(problem);
      say({ type: 'store-away', problem }, paint.red('the shared store is away; nobody new is let in:'), problem);
    },
    onBack() {
      operations.store(undefined);
      say({ type: 'store-back' }, paint.green('the shared store is there again'));
    },
    onJournalFailed(problem) {
      say({ type: 'journal-failed', problem }, paint.red('the journal cannot be written:'), problem);
    },
  };
}

interface Started {
  readonly url: string;
  readonly what: string;
  readonly source: SiteSource | undefined;
  readonly operations: Operations;
  readonly client: Client;
}

async function sayStarted({ json }: ServeOptions, { url, what, source, operations, client }: Started): Promise<void> {
  const { healthAt } = operations;
  operations.note('listening', { url, serves: what });
  const warnings = await warningsOf(client);
  if (json === true) {
    print(
      JSON.stringify({
        at: new Date().toISOString(),
        type: 'listening',
        url,
        serves: what,
        health: healthAt,
        warnings,
        ...source,
      }),
    );
    return;
  }
  print();
  const words =
    source === undefined
      ? 'Answering for'
      : 'folder' in source
        ? `Serving ${source.folder} by`
        : `In front of ${source.to} by`;
  print(`  ${words} ${paint.bold(what)} at`);
  print(`  ${paint.bold(paint.cyan(url))}`);
  if (healthAt !== undefined) print(healthLine(healthAt));
  if (warnings.length > 0) print();
  for (const warning of warnings) print(`  ${paint.yellow(warning)}`);
  print();
}

/** What would be wondered at later, of how a Redis is set. It may not say. */
async function warningsOf(client: Client): Promise<string[]> {
  const said = async (section: string) => (await ask(client, 'INFO', section).then(textOf, () => '')) ?? '';
  const [persistence, memory] = await Promise.all([said('persistence'), said('memory')]);
  const warnings: string[] = [];
  if (/^aof_enabled:0/m.test(persistence)) {
    warnings.push(
      'This Redis keeps nothing on disk at once (appendonly no): started anew it may have lost policies, and links can be used once more.',
    );
  }
  const policy = /^maxmemory_policy:(\S+)/m.exec(memory)?.[1] ?? 'noeviction';
  if (policy !== 'noeviction' && !/^maxmemory:0\s/m.test(memory)) {
    warnings.push(
      `This Redis throws away what it likes when it is full (maxmemory-policy ${policy}): tries and uses would begin anew. Set noeviction.`,
    );
  }
  return warnings;
}
