import { DorlinError } from '../core/errors.js';
import type { ConsoleSite, LongWork } from './context.js';

/** Tells how far it has come: in what, how much of it is done, and of how much. */
export type Progress = (phase: string, done: number, all: number) => void;

/** Four times a second is enough for anybody who watches. */
const restMilliseconds = 250;

/**
 * Begins a work that tells all who have the console open how far it has come, and that it has ended. There is one of a
 * kind at a time: nothing is awaited before it is kept, so that of two at once one is told.
 *
 * @param before - the last of its kind
 * @param busy - what whoever is second is told
 * @throws DorlinError `policy-busy`
 */
export function beginWork(
  site: ConsoleSite,
  work: 'patrol' | 'seal',
  before: LongWork | undefined,
  busy: string,
  run: (progress: Progress, stop: AbortSignal) => Promise<unknown>,
): LongWork {
  if (before?.isRunning === true) throw new DorlinError('policy-busy', busy, { mend: 'Wait for it, or stop it.' });
  const begun: LongWork = { stop: new AbortController(), isRunning: true };
  const { signal } = begun.stop;
  let toldAt = 0;
  const progress: Progress = (phase, done, all) => {
    if (Date.now() - toldAt < restMilliseconds) return;
    toldAt = Date.now();
    site.tell({ type: 'progress', work, phase, done, all });
  };
  void run(progress, signal)
    .catch((error: unknown) => {
      // To be stopped is no problem.
      if (signal.aborted) return;
      const code = error instanceof DorlinError ? error.code : 'failed';
      const [message = '', ...mend] = (error instanceof Error ? error.message : String(error)).split('\n');
      begun.problem = { code, message, mend: mend.join('\n') };
    })
    .finally(() => {
      begun.isRunning = false;
      site.tell({ type: work === 'patrol' ? 'patrolled' : 'sealed' });
    });
  return begun;
}
