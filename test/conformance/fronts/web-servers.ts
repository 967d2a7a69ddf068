import { createServer } from 'node:http';
import { lacksProgram } from '../../support/programs.js';
import { startAsking } from '../../support/web-servers.js';
import type { Front, Ground, RunningFront } from '../front.js';
import { listening, site } from './node.js';

/** A web server that asks before it hands on to an application. */
async function beforeAnApplication(server: 'nginx' | 'caddy', ground: Ground): Promise<RunningFront> {
  const behind = createServer(site);
  const to = `http://127.0.0.1:${await listening(behind)}`;
  const { port, close } = await startAsking(server, { ...ground, to });
  return {
    port,
    close: async () => {
      await close();
      behind.closeAllConnections();
      behind.close();
    },
  };
}

/** Web servers that ask before they serve. */
export const webServerFronts: readonly Front[] = [
  { name: 'nginx', skip: lacksProgram('nginx'), start: (ground) => startAsking('nginx', ground) },
  { name: 'Caddy', skip: lacksProgram('caddy'), start: (ground) => startAsking('caddy', ground) },
  ...(['nginx', 'caddy'] as const).map((server): Front => ({
    name: server === 'nginx' ? 'nginx, before an application' : 'Caddy, before an application',
    skip: lacksProgram(server),
    start: (ground) => beforeAnApplication(server, ground),
  })),
  ...(['nginx', 'caddy'] as const).map((server): Front => ({
    name: server === 'nginx' ? 'nginx, HTTP/2 and TLS' : 'Caddy, HTTP/2 and TLS',
    skip: lacksProgram(server) || lacksProgram('openssl'),
    start: async (ground) => ({ ...(await startAsking(server, { ...ground, isSecure: true })), isSecure: true }),
  })),
];
