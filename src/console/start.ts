import { access } from 'node:fs/promises';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { DorlinError } from '../core/errors.js';
import type { SiteSource } from '../server/site-server.js';
import { createConsole } from './console.js';
import { siteFolder } from '../owner/site-files.js';
import { loadPolicy } from '../stores/policy-file.js';
import { startFrame } from './frame.js';

/** Where a console is to listen. */
export interface StartOptions {
  readonly policyFile: string;
  readonly host: string;
  readonly port: number;
  /** Whether another free port may be used when that one is taken. */
  readonly mayMove: boolean;
  /** Scheme and host under which it is reached, where that is not the address it listens on. */
  readonly origin?: string | undefined;
  /** The site, to be seen through somebody’s eyes; without it, it can be seen as a list only. */
  readonly source?: SiteSource | undefined;
  /** Where the site answers, as seen from this machine. */
  readonly siteUrl?: string | undefined;
  /** The folder of the app’s files. @default the app of the package */
  readonly app?: string | undefined;
}

/** A console that runs. */
export interface RunningConsole {
  readonly url: string;
  readonly close: () => Promise<void>;
}

/** Where the app lies in the package. */
const appFolder = fileURLToPath(new URL('../console-app', import.meta.url));
const portTries = 50;

async function builtApp(): Promise<string> {
  await access(join(appFolder, 'index.html')).catch((cause: unknown) => {
    throw new DorlinError('folder-missing', 'The pages of the console were not built.', {
      cause,
      mend: 'In a checkout of Dorlin, run `npm run build:console` and `npm run build`.',
    });
  });
  return appFolder;
}

/**
 * Starts the owner’s console.
 * @throws DorlinError `port-taken`, `people-unreadable`, `policy-missing`, `folder-missing`
 */
export async function startConsole(options: StartOptions): Promise<RunningConsole> {
  const { policyFile, host, port, mayMove, origin, source, siteUrl, app = await builtApp() } = options;
  let found = 0;
  const name = host.includes(':') ? `[${host}]` : host;
  const origins = () =>
    origin === undefined
      ? [`http://${name}:${found}`, ...(host === '127.0.0.1' ? [`http://localhost:${found}`] : [])]
      : [origin];
  const isHere = host === '127.0.0.1' || host === '::1' || host === 'localhost';
  const frameOf = async (of: SiteSource | undefined) =>
    of === undefined || !isHere ? undefined : startFrame(policyFile, of, origins);
  let frame = await frameOf(source);
  const begun = async () => {
    const policy = await loadPolicy(policyFile);
    if (policy.site.folder !== undefined) frame ??= await frameOf({ folder: siteFolder(policyFile, policy) });
  };
  const made = await createConsole({ policyFile, origins, app, frame: () => frame, begun, siteUrl });
  // A call is short: who does not finish sending one holds nothing for long.
  const server = createServer({ requestTimeout: 30_000 }, made.listener);
  const close = async () => {
    await made.close();
    server.closeAllConnections();
    if (server.listening) await new Promise((closed) => server.close(closed));
    await frame?.close();
  };
  try {
    for (let tries = 0; ; tries++) {
      const wanted = port === 0 ? 0 : port + tries;
      const isFree = await new Promise<boolean>((resolve, reject) => {
        const failed = (error: NodeJS.ErrnoException) => {
          if (error.code === 'EADDRINUSE') resolve(false);
          else reject(error);
        };
        server.once('error', failed);
        server.listen(wanted, host, () => {
          server.off('error', failed);
          resolve(true);
        });
      });
      if (isFree) break;
      if (!mayMove || tries === portTries) throw new DorlinError('port-taken', `Port ${wanted} on ${host} is taken.`);
    }
  } catch (error) {
    await close();
    throw error;
  }
  found = (server.address() as AddressInfo).port;
  return { url: `${origins()[0] ?? ''}/`, close };
}
