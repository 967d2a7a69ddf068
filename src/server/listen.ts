import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { DorlinError } from '../core/errors.js';

/** Where a server is to listen. */
export interface Listening {
  readonly host: string;
  /** 0: any that is free. */
  readonly port: number;
  /** Whether another free port may be used when that one is taken. */
  readonly mayMove: boolean;
}

/** How many ports after the asked one are tried. */
const portTries = 50;

/**
 * Lets a server listen. @returns the port
 * @throws DorlinError `port-taken`
 */
export async function listen(server: Server, { host, port: first, mayMove }: Listening): Promise<number> {
  for (let tries = 0; ; tries++) {
    const port = first === 0 ? 0 : first + tries;
    if (await listens(server, port, host)) return (server.address() as AddressInfo).port;
    if (!mayMove || tries === portTries) throw new DorlinError('port-taken', `Port ${port} on ${host} is taken.`);
  }
}

/**
 * Lets a server listen that may end at once, whatever it is answering.
 * @throws DorlinError `port-taken`
 */
export async function listening(
  server: Server,
  where: Listening,
): Promise<{ readonly port: number; readonly close: () => Promise<void> }> {
  const port = await listen(server, where);
  return {
    port,
    close: async () => {
      const closed = new Promise((done) => server.close(done));
      server.closeAllConnections();
      await closed;
    },
  };
}

/** Whether the server listens now; no if the port is taken. */
function listens(server: Server, port: number, host: string) {
  return new Promise<boolean>((resolve, reject) => {
    const failed = (error: NodeJS.ErrnoException) => {
      if (error.code === 'EADDRINUSE') resolve(false);
      else reject(error);
    };
    server.once('error', failed);
    server.listen(port, host, () => {
      server.off('error', failed);
      resolve(true);
    });
  });
}
