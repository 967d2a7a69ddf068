import * as z from 'zod';
import { DorlinError } from '../core/errors.js';
import { sealingStanding, sealOwnSite } from '../owner/own-sealing.js';
import { read } from './call.js';
import type { Sealing } from './context.js';
import { line, name, none } from './inputs.js';

/** Sealing the site for a host without any code. It changes nothing of the policy. */
export const sealingCalls = {
  seal: read(
    z.strictObject({
      out: line,
      base: line.optional(),
      acceptWeak: z.boolean().optional(),
      rekey: z.array(name).optional(),
    }),
    ({ out, base, acceptWeak, rekey }, { site }) => {
      if (site.sealing?.isRunning === true) {
        throw new DorlinError('policy-busy', 'It is being sealed already.', { mend: 'Wait for it, or stop it.' });
      }
      const sealing: Sealing = { stop: new AbortController(), isRunning: true };
      site.sealing = sealing;
      let toldAt = 0;
      const onProgress = (phase: string, done: number, all: number) => {
        if (Date.now() - toldAt < 250) return;
        toldAt = Date.now();
        site.tell({ type: 'progress', work: 'seal', phase, done, all });
      };
      const { signal: stop } = sealing.stop;
      // It goes on whoever leaves the page; how it ends is told to all.
      void sealOwnSite(site.policyFile, { out, base, acceptWeak, rekey, onProgress, stop })
        .catch((error: unknown) => {
          if (stop.aborted) return;
          const code = error instanceof DorlinError ? error.code : 'failed';
          const [what = '', ...mend] = (error instanceof Error ? error.message : String(error)).split('\n');
          sealing.problem = { code, message: what, mend: mend.join('\n') };
        })
        .finally(() => {
          sealing.isRunning = false;
          site.tell({ type: 'sealed' });
        });
      return Promise.resolve({ isStarted: true });
    },
  ),
  'seal.stop': read(none, (_, { site }) => {
    site.sealing?.stop.abort();
    return Promise.resolve({ isStopped: site.sealing?.isRunning === true });
  }),
  'seal.standing': read(none, async (_, { site }) => ({
    ...(await sealingStanding(site.policyFile)),
    isRunning: site.sealing?.isRunning === true,
    problem: site.sealing?.problem,
  })),
};
