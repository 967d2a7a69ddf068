// `npm run demo`: installs, builds, and serves the demo site until Ctrl-C.
import { chdir } from 'node:process';
import { fileURLToPath } from 'node:url';
import { buildAll, installPackages } from './setup.mjs';

chdir(fileURLToPath(new URL('..', import.meta.url)));
installPackages();
console.log('Building …');
buildAll();
process.argv.splice(2, 0, 'demo');
await import('../dist/node/dorlin.js');
