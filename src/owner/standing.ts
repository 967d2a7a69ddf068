import { stat } from 'node:fs/promises';
import { draftFile } from '../stores/draft-files.js';
import { waitingDraft } from '../stores/draft.js';
import { loadPolicy } from '../stores/policy-file.js';
import { review } from './review.js';
import { listLocks } from './locks.js';
import type { LockStanding } from './lock-settings.js';
import { listPlaces } from './places.js';

/** Something to do next, and why. */
export interface NextStep {
  readonly command: string;
  readonly why: string;
}

/** Where an owner stands, and what comes next. */
export interface Standing {
  /** The policy; undefined where there is none yet. */
  readonly policy?: string | undefined;
  readonly site?: string | undefined;
  /** How many addresses the site has, and how many strangers get, where its files are at hand. */
  readonly all?: number | undefined;
  readonly open?: number | undefined;
  readonly locks: readonly LockStanding[];
  readonly draft?: string | undefined;
  readonly next: readonly NextStep[];
}

/** Tells where an owner stands, and what comes next. */
export async function standing(policyFile: string): Promise<Standing> {
  const isThere = await stat(policyFile).then(
    () => true,
    () => false,
  );
  if (!isThere) {
    const next = [
      { command: 'dorlin demo', why: 'a whole invented site to try it all on' },
      { command: 'dorlin init FOLDER', why: 'to begin with the folder of your own finished site' },
    ];
    return { locks: [], next };
  }
  const { site, locks } = await listLocks(policyFile);
  const files = await listPlaces(policyFile).catch(() => undefined);
  const draft = await waitingDraft(policyFile);
  return {
    policy: policyFile,
    site,
    all: files?.all,
    open: files?.open,
    locks,
    draft,
    next: await nextSteps(policyFile, locks, draft),
  };
}

async function nextSteps(
  policyFile: string,
  locks: readonly LockStanding[],
  draft: string | undefined,
): Promise<NextStep[]> {
  const next: NextStep[] = [];
  if (draft !== undefined) {
    const change = await review(policyFile, { old: policyFile, new: draftFile(policyFile) }).catch(() => undefined);
    const does =
      change === undefined
        ? 'a draft is waiting'
        : `a draft is waiting: it closes ${change.closed.length} and opens ${change.opened.length}`;
    next.push({ command: 'dorlin review', why: does });
    next.push({ command: 'dorlin live', why: 'to make it count' });
  }
  if (locks.length === 0) {
    next.push({ command: 'dorlin places', why: 'the pages there are' });
    next.push({
      command: 'dorlin lock members /members/',
      why: 'to put some of them under a lock',
    });
    return next;
  }
  for (const { name, passwords, links, bypasses, outsiders, enabled, covers } of locks) {
    if (!enabled) next.push({ command: `dorlin lock ${name} --on`, why: `${name} is switched off` });
    else if (covers.length === 0) next.push({ command: `dorlin lock ${name} PLACE…`, why: `${name} covers nothing` });
    else if (passwords + links + bypasses.length === 0 && outsiders === 'screen')
      next.push({ command: `dorlin password add ${name}`, why: `nobody gets in at ${name}` });
  }
  const { site } = await loadPolicy(policyFile);
  if (site.origin === undefined)
    next.push({ command: 'dorlin site --origin https://…', why: 'so that links and letters know where the site is' });
  next.push({ command: 'dorlin check', why: 'likely mistakes, each with its mend' });
  next.push({ command: 'dorlin serve', why: 'the site behind its locks' });
  return next;
}
