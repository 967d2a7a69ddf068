import { createServer, type RequestListener } from 'node:http';
import { guardUpgrades } from '../adapters/node-upgrade.js';
import { visitOf } from '../adapters/node-visit.js';
import { guardListener } from '../adapters/node.js';
import { GuardedResponse } from '../adapters/taken-answer.js';
import { sendAnswer } from '../adapters/send-answer.js';
import { isInRanges } from '../core/bypass/address.js';
import { listen, type Listening } from './listen.js';
import { DorlinError } from '../core/errors.js';
import { endServer, openSockets } from './end-server.js';
import { answersHealth, type Health } from './health.js';
import { proxyTo, type Proxied } from './proxy.js';
import { isOfOneSite, type OneSiteGuard, type ServedGuard } from './served-guard.js';
import { serveFolder, type StaticFolder } from './static-folder.js';

/** What stands behind the guard. */
export type SiteSource = { readonly folder: string } | { readonly to: string };

export interface SiteServerOptions extends Listening {
  readonly guard: OneSiteGuard | ServedGuard;
  /** Undefined: nothing, as web servers ask it and serve all themselves. */
  readonly source: SiteSource | undefined;
  /** Put around the site, behind the guard: to answer some addresses otherwise. */
  readonly around?: ((site: RequestListener) => RequestListener) | undefined;
  /** Told that it ends, before it does. */
  readonly health?: Health | undefined;
  /** Whether it is told at this port too, to whoever asks. @default no */
  readonly tellsHealth?: boolean | undefined;
}

/** A running site. */
export interface SiteServer {
  readonly port: number;
  /**
   * Ends it. The guard is closed as well.
   *
   * @param patience - for how many seconds what is being answered may go on; no new connections are taken
   * meanwhile, and those that are open end with their answer. @default 0: all of them end at once
   */
  readonly close: (patience?: number) => Promise<void>;
}

/**
 * Serves a folder or another server behind the guard.
 * @throws DorlinError `port-taken`, `folder-missing`
 */
export async function startSite(options: SiteServerOptions): Promise<SiteServer> {
  const { guard, source } = options;
  try {
    return await startBehind(options, await sourceBehind(source, guard));
  } catch (error) {
    // What follows the policy would keep the process from ending.
    await guard.close();
    throw error;
  }
}

type Behind = StaticFolder | Proxied;

const nothingBehind: StaticFolder = {
  listener: (_request, response) => {
    response.writeHead(404, { 'content-type': 'text/plain; charset=utf-8' }).end('Not found\n');
  },
  close: () => Promise.resolve(),
};

async function sourceBehind(source: SiteSource | undefined, guard: OneSiteGuard | ServedGuard): Promise<Behind> {
  if (source === undefined) return nothingBehind;
  if ('folder' in source) {
    if (isOfOneSite(guard)) return serveFolder(source.folder, guard.policy, guard.file, guard.former);
    throw new DorlinError('call-wrong', 'A folder is one site, and this serves every site of the store.');
  }
  const policyAt = isOfOneSite(guard) ? guard.policy : guard.policyAt;
  return proxyTo(source.to, {
    isOneSite: isOfOneSite(guard),
    isTrusted: (request) =>
      isInRanges(request.socket.remoteAddress, policyAt(visitOf(request))?.site.trustedProxies ?? []),
    unreachable: (request, response, status) => {
      Promise.resolve(guard.away(visitOf(request), status))
        .then((answer) => {
          if (!response.headersSent && !response.destroyed) sendAnswer(request, response, answer);
        })
        .catch(() => response.destroy());
    },
  });
}

async function startBehind(options: SiteServerOptions, behind: Behind): Promise<SiteServer> {
  const { guard, health, tellsHealth, around = (site: RequestListener) => site } = options;
  // What stands behind is ours, and leaves the class of a response as it is.
  const guarded = guardListener(guard, around(behind.listener));
  const listener = health !== undefined && tellsHealth === true ? answersHealth(health, guarded) : guarded;
  const server = createServer({ ServerResponse: GuardedResponse }, listener);
  if ('upgrade' in behind) guardUpgrades(guard, server, behind.upgrade);
  const sockets = openSockets(server);
  let port: number;
  try {
    port = await listen(server, options);
  } catch (error) {
    await behind.close();
    throw error;
  }
  health?.begins();
  return {
    port,
    close: async (patience = 0) => {
      health?.ends();
      await endServer(server, sockets, patience);
      await behind.close();
      await guard.close();
    },
  };
}
