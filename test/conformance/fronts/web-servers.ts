import { lacksProgram } from '../../support/programs.js';
import { startAsking } from '../../support/web-servers.js';
import type { Front } from '../front.js';

/** Web servers that ask before they serve. */
export const webServerFronts: readonly Front[] = [
  { name: 'nginx', skip: lacksProgram('nginx'), start: (ground) => startAsking('nginx', ground) },
  { name: 'Caddy', skip: lacksProgram('caddy'), start: (ground) => startAsking('caddy', ground) },
  ...(['nginx', 'caddy'] as const).map((server): Front => ({
    name: server === 'nginx' ? 'nginx, HTTP/2 and TLS' : 'Caddy, HTTP/2 and TLS',
    skip: lacksProgram(server) || lacksProgram('openssl'),
    start: async (ground) => ({ ...(await startAsking(server, { ...ground, isSecure: true })), isSecure: true }),
  })),
];
