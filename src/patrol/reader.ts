import { availableParallelism } from 'node:os';
import { Tinypool } from 'tinypool';
import type { Answer } from './asker.js';
import type { Facts } from './facts.js';
import { readAnswer } from './reading.js';
import type { SiteAddresses } from './site-addresses.js';
import type { Telling } from './telling.js';

/** What a worker is handed. */
export interface ReadingTask {
  readonly target: string;
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Uint8Array;
  readonly telling: Telling | undefined;
}

/** Reads answers: large ones in threads of their own, so that asking need not wait for it. */
export interface Reader {
  read(target: string, answer: Answer, telling?: Telling): Promise<Facts>;
  close(): Promise<void>;
}

/** Threads cannot run this as it is written, only as it is built. */
const isCompiled = import.meta.url.endsWith('.js');

/** To hand over a shorter body takes longer than to read it. */
const longEnough = 6000;
const mostThreads = 4;

/**
 * @param site - made of the same origin and aliases
 */
export function makeReader(
  site: SiteAddresses,
  about: { readonly origin: string; readonly aliases: readonly string[] },
): Reader {
  // Started with the first long answer.
  let pool: Tinypool | undefined;
  let waiting = 0;
  const threads = Math.max(1, Math.min(mostThreads, availableParallelism() - 1));
  const inThread = async (task: ReadingTask): Promise<Facts> => {
    pool ??= new Tinypool({
      filename: new URL('reading-worker.js', import.meta.url).href,
      minThreads: threads,
      maxThreads: threads,
      workerData: about,
    });
    waiting++;
    try {
      return (await pool.run(task)) as Facts;
    } finally {
      waiting--;
    }
  };
  return {
    read(target, answer, telling) {
      const { status, headers, body } = answer;
      // With enough to do in the threads, this one helps.
      const isBusy = waiting >= threads * 3;
      if (body.length < longEnough || isBusy || !isCompiled) return readAnswer(target, answer, site, telling);
      return inThread({ target, status, headers, body, telling });
    },
    close: async () => pool?.destroy(),
  };
}
