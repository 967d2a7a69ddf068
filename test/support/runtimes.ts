import { existsSync } from 'node:fs';
import { resolve } from 'node:path';

/** The runtimes that the tests run besides the Node they run in. */
export type Runtime = 'bun' | 'deno' | 'workerd' | 'node24' | 'node26';

/** Where the set-up has put the program of a runtime. */
export function runtimePath(runtime: Runtime): string {
  const program = runtime.startsWith('node') ? 'node' : runtime;
  return resolve('.cache/runtimes/node_modules', runtime, ...(runtime === 'deno' ? [] : ['bin']), program);
}

/** Why its suites are skipped, or no where it is there. */
export const lacksRuntime = (runtime: Runtime): string | false =>
  existsSync(runtimePath(runtime)) ? false : `${runtime} is missing`;
