import type { Review } from '../core/policy/review.js';
import { DorlinError } from '../core/errors.js';
import {
  bringDraftOver,
  draftStanding,
  makeDraftLive,
  stepBack,
  throwDraftAway,
  waitingDraft,
  type DraftStanding,
} from '../stores/draft.js';
import { changeBetween } from './change.js';
import { forgetEnded, type Forgotten } from './passwords/recalled.js';

/** A policy after its draft took its place. */
export interface LiveResult extends Review, Forgotten {
  readonly policy: string;
}

/**
 * Makes all edits of a draft count at once.
 *
 * @param over - even though the policy was changed since the draft was begun
 * @throws DorlinError `draft-missing`, `policy-changed`, `policy-invalid`
 */
export async function goLive(policyFile: string, over = false): Promise<LiveResult> {
  const replaced = await makeDraftLive(policyFile, over);
  const forgotten = await forgetEnded(policyFile);
  return { policy: policyFile, ...(await changeBetween(policyFile, replaced)), ...forgotten };
}

/** A policy after its last edit was taken back. */
export interface BackResult extends Review {
  readonly policy: string;
  /** When the edit was made that is taken back (RFC 3339). */
  readonly at: string;
  /** The same in the site's time zone, for people. */
  readonly atLocal: string;
}

/**
 * Takes the last edit of a policy back; passwords that it ended can be looked up again.
 * @throws DorlinError `nothing-to-take-back`, `policy-invalid`
 */
export async function goBack(policyFile: string): Promise<BackResult> {
  const replaced = await stepBack(policyFile);
  const atLocal = new Date(replaced.at).toLocaleString('en-GB', {
    dateStyle: 'medium',
    timeStyle: 'short',
    timeZone: replaced.after.site.timeZone,
  });
  const change = await changeBetween(policyFile, replaced);
  return { policy: policyFile, at: replaced.at, atLocal, ...change };
}

/** A policy whose draft is gone. */
export interface DraftDropped {
  readonly policy: string;
  readonly draft: null;
}

/** @throws DorlinError `draft-missing` */
export async function dropDraft(policyFile: string): Promise<DraftDropped> {
  await throwDraftAway(policyFile);
  return { policy: policyFile, draft: null };
}

/** Undefined where there is no draft. */
export const draftStandingOf = (policyFile: string): Promise<DraftStanding | undefined> => draftStanding(policyFile);

/**
 * Carries a change of the policy into the draft that waits, if one does.
 *
 * @param isMust - fails where that cannot be done, instead of saying so
 * @returns whether the draft, if there is one, is as new as the policy
 * @throws DorlinError `draft-conflict`, `policy-invalid`, where it must
 */
export async function carryDraft(policyFile: string, isMust = false): Promise<boolean> {
  if ((await waitingDraft(policyFile)) === undefined) return true;
  try {
    await bringDraftOver(policyFile);
    return true;
  } catch (error) {
    if (isMust || !(error instanceof DorlinError)) throw error;
    return false;
  }
}
