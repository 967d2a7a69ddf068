import { availableParallelism } from 'node:os';
import { Tinypool } from 'tinypool';
import { doLargeTask, type LargeTask } from './large-file.js';

/** Does the parts of the work on large files: on all cores, where that can be. */
export interface Threads {
  run(task: LargeTask): Promise<Uint8Array>;
  close(): Promise<void>;
}

/** Threads cannot run this as it is written, only as it is built. */
const builtWorker = import.meta.url.endsWith('.js') ? new URL('sealing-worker.js', import.meta.url).href : undefined;
const mostThreads = 8;

/** @param worker - the address of the built module that a thread runs; without one, all is done in this thread */
export function makeThreads(
  threads = Math.min(mostThreads, availableParallelism()),
  worker: string | undefined = builtWorker,
): Threads {
  // Started with the first large file.
  let pool: Tinypool | undefined;
  let turn: Promise<unknown> = Promise.resolve();
  return {
    run: async (task) => {
      if (worker !== undefined) {
        pool ??= new Tinypool({ filename: worker, minThreads: threads, maxThreads: threads });
        return (await pool.run(task)) as Uint8Array;
      }
      // One at a time, as each holds some pieces of its file.
      const done = turn.then(() => doLargeTask(task));
      turn = done.catch(() => undefined);
      return done;
    },
    close: async () => pool?.destroy(),
  };
}
