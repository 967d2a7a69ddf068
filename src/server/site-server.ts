import { createServer, type RequestListener } from 'node:http';
import { guardUpgrades } from '../adapters/node-upgrade.js';
import { visitOf } from '../adapters/node-visit.js';
import { guardListener } from '../adapters/node.js';
import { GuardedResponse } from '../adapters/taken-answer.js';
import { sendAnswer } from '../adapters/send-answer.js';
import { isInRanges } from '../core/bypass/address.js';
import type { FileGuard } from '../stores/file-guard.js';
import { listen, type Listening } from './listen.js';
import { proxyTo, type Proxied } from './proxy.js';
import { serveFolder, type StaticFolder } from './static-folder.js';

/** What stands behind the guard. */
export type SiteSource = { readonly folder: string } | { readonly to: string };

export interface SiteServerOptions extends Listening {
  readonly guard: FileGuard;
  /** Undefined: nothing, as web servers ask it and serve all themselves. */
  readonly source: SiteSource | undefined;
  /** Put around the site, behind the guard: to answer some addresses otherwise. */
  readonly around?: ((site: RequestListener) => RequestListener) | undefined;
}

/** A running site. */
export interface SiteServer {
  readonly port: number;
  /** Ends it, open connections included. The guard is closed as well. */
  readonly close: () => Promise<void>;
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

async function sourceBehind(source: SiteSource | undefined, guard: FileGuard): Promise<Behind> {
  if (source === undefined) return nothingBehind;
  return 'folder' in source
    ? serveFolder(source.folder, guard.policy, guard.file, guard.former)
    : proxyTo(source.to, {
        isTrusted: (address) => isInRanges(address, guard.policy().site.trustedProxies),
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
  const { guard, around = (site: RequestListener) => site } = options;
  // What stands behind is ours, and leaves the class of a response as it is.
  const server = createServer({ ServerResponse: GuardedResponse }, guardListener(guard, around(behind.listener)));
  if ('upgrade' in behind) guardUpgrades(guard, server, behind.upgrade);
  let port: number;
  try {
    port = await listen(server, options);
  } catch (error) {
    await behind.close();
    throw error;
  }
  return {
    port,
    close: async () => {
      const closed = new Promise((done) => server.close(done));
      server.closeAllConnections();
      await closed;
      await behind.close();
      await guard.close();
    },
  };
}
