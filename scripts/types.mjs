// Checks the types of every part: each has the library that it runs on, so that the core cannot use Node's.
import { spawnSync } from 'node:child_process';

/** The compiler of version 7 is native and takes a fifth of the time; what lints and documents needs version 6. */
export const compiler = 'node_modules/typescript-7/bin/tsc';

const projects = [
  'tsconfig.core.json',
  'tsconfig.browser.json',
  'tsconfig.json',
  'examples/console/tsconfig.json',
  'examples/workbench/tsconfig.json',
];

if (process.argv[1]?.endsWith('types.mjs') === true) {
  const failed = projects.filter((project) => {
    const { status } = spawnSync(process.execPath, [compiler, '-p', project], { stdio: 'inherit' });
    return status !== 0;
  });
  if (failed.length > 0) console.error(`wrong types in ${failed.join(', ')}`);
  process.exit(failed.length > 0 ? 1 : 0);
}
