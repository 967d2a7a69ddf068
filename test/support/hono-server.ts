import { serve } from '@hono/node-server';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';

/** A handler of fetch style in Node, on a port of its own. */
export async function serveFetch(handler: (request: Request, env: object) => Response | Promise<Response>) {
  const server = serve({ fetch: handler, port: 0, hostname: '127.0.0.1' }) as Server;
  await new Promise((resolve) => server.once('listening', resolve));
  return {
    port: (server.address() as AddressInfo).port,
    close: async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    },
  };
}
