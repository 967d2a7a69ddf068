import * as z from 'zod';
import { sealingStanding, sealOwnSite } from '../owner/own-sealing.js';
import { read } from './call.js';
import { line, name, none } from './inputs.js';
import { beginWork } from './long-work.js';

/** Sealing the site for a host without any code. It changes nothing of the policy. */
export const sealingCalls = {
  seal: read(
    z.strictObject({
      out: line,
      base: line.optional(),
      acceptWeak: z.boolean().optional(),
      rekey: z.array(name).max(500).optional(),
    }),
    ({ out, base, acceptWeak, rekey }, { site }) => {
      const { policyFile } = site;
      site.sealing = beginWork(site, 'seal', site.sealing, 'It is being sealed already.', (onProgress, stop) =>
        sealOwnSite(policyFile, { out, base, acceptWeak, rekey, onProgress, stop }),
      );
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
