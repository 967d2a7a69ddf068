import type { Front } from '../front.js';
import { nodeFronts } from './node.js';
import { runtimeFronts } from './programs.js';
import { viteFronts } from './vite.js';
import { webServerFronts } from './web-servers.js';

/** All that the suite is played through; the first is what the others are compared with. */
export const allFronts: readonly Front[] = [...nodeFronts, ...viteFronts, ...runtimeFronts, ...webServerFronts];
