import type { Server } from 'node:http';
import { Server as NetServer, type Socket } from 'node:net';
import { setTimeout as wait } from 'node:timers/promises';

/** The connections of a server that are open, upgraded ones included, from now on. */
export function openSockets(server: Server): ReadonlySet<Socket> {
  const open = new Set<Socket>();
  server.on('connection', (socket: Socket) => {
    open.add(socket);
    socket.once('close', () => open.delete(socket));
  });
  return open;
}

/** How long a connection may lie still before nobody seems to be about to ask, in milliseconds. */
const restMilliseconds = 1000;

/**
 * Ends a server without cutting anything short: it takes no more connections, and those that are open end
 * with the next answer. One at which nothing is asked for a second ends too.
 *
 * @param patience - after so many seconds all that is left is ended. 0: at once
 */
export async function endServer(server: Server, sockets: ReadonlySet<Socket>, patience: number): Promise<void> {
  if (patience > 0) {
    server.prependListener('request', (_, response) => {
      response.shouldKeepAlive = false;
    });
    // Node's own would end those at which a request may be on its way.
    const closed = new Promise<void>((resolve) => {
      NetServer.prototype.close.call(server, () => {
        resolve();
      });
    });
    const end = new AbortController();
    const endIdle = async () => {
      for (;;) {
        await wait(restMilliseconds, undefined, { signal: end.signal });
        server.closeIdleConnections();
      }
    };
    const ended = endIdle().catch(() => undefined);
    await Promise.race([closed, wait(patience * 1000, undefined, { signal: end.signal }).catch(() => undefined)]);
    end.abort();
    await ended;
  }
  const closed = new Promise((done) => server.close(done));
  server.closeAllConnections();
  for (const socket of sockets) socket.destroy();
  await closed;
}
