import { lacksProgram } from '../../support/programs.js';
import { startAsking } from '../../support/web-servers.js';
import type { Front } from '../front.js';

/** Web servers that ask before they serve. */
export const webServerFronts: readonly Front[] = [
  { name: 'nginx', skip: lacksProgram('nginx'), start: (ground) => startAsking('nginx', ground) },
  { name: 'Caddy', skip: lacksProgram('caddy'), start: (ground) => startAsking('caddy', ground) },
];
