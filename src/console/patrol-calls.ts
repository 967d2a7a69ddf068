import { resolve } from 'node:path';
import * as z from 'zod';
import { failedNight, patrolStanding } from '../owner/patrol/kept-patrols.js';
import { mendFromPatrol, patrolOwnSite } from '../owner/patrol/own-patrol.js';
import { scheduleOf } from '../owner/patrol/schedule.js';
import { refuseElsewhere } from '../owner/walk-site.js';
import { loadPolicy } from '../stores/policy-file.js';
import { isLoopback } from './arrival.js';
import { act, edit, read } from './call.js';
import { line, none } from './inputs.js';
import { beginWork } from './long-work.js';

/** Walking the running site as strangers do, and what it came to. */
export const patrolCalls = {
  patrol: read(z.strictObject({ url: line }), async ({ url }, { site, address: from }) => {
    refuseElsewhere((await loadPolicy(site.policyFile)).site.origin, url, isLoopback(from));
    const { policyFile } = site;
    const isHere = isLoopback(from);
    const begun = beginWork(site, 'patrol', site.patrolling, 'A patrol is under way already.', (onProgress, stop) =>
      patrolOwnSite(policyFile, { url, by: 'hand', isHere, onProgress, stop }),
    );
    site.patrolling = Object.assign(begun, { url });
    return { isStarted: true };
  }),
  'patrol.stop': read(none, (_, { site }) => {
    site.patrolling?.stop.abort();
    return Promise.resolve({ isStopped: site.patrolling?.isRunning === true });
  }),
  'patrol.standing': read(none, async (_, { site, shown }) => {
    const { patrolling } = site;
    const policy = await loadPolicy(shown);
    return {
      standing: await patrolStanding(site.policyFile),
      running: patrolling?.isRunning === true ? { url: patrolling.url } : undefined,
      problem: patrolling?.problem,
      failed: await failedNight(site.policyFile),
      nightly: policy.patrol,
    };
  }),
  'patrol.mend': act(none, (_, caller) => edit(false, caller, (file) => mendFromPatrol(caller.site.policyFile, file))),
  'patrol.schedule': read(z.strictObject({ url: line, time: line }), ({ url, time }, { site }) =>
    Promise.resolve(scheduleOf(url, resolve(site.policyFile), time)),
  ),
};
