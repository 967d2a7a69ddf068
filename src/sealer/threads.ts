import { availableParallelism } from 'node:os';
import { Tinypool } from 'tinypool';
import { doLargeTask, type LargeTask } from './large-file.js';

/** Does the parts of the work on large files: on all cores, where that can be. */
export interface Threads {
  run(task: LargeTask): Promise<Uint8Array>;
  close(): Promise<void>;
}

/** Threads cannot run this as it is written, only as it is built. */
const isCompiled = import.meta.url.endsWith('.js');
const mostThreads = 8;

export function makeThreads(): Threads {
  // Started with the first large file.
  let pool: Tinypool | undefined;
  const threads = Math.min(mostThreads, availableParallelism());
  return {
    run: async (task) => {
      if (isCompiled) {
        pool ??= new Tinypool({
          filename: new URL('sealing-worker.js', import.meta.url).href,
          minThreads: threads,
          maxThreads: threads,
        });
        return (await pool.run(task)) as Uint8Array;
      }
      // Others have a turn between.
      await new Promise(setImmediate);
      return doLargeTask(task);
    },
    close: async () => pool?.destroy(),
  };
}
