import { editPolicyFile, loadPolicy } from '../../stores/policy-file.js';
import { applyProposal, proposeChange, type ProposedChange } from '../../patrol/propose.js';
import { refuseElsewhere } from '../walk-site.js';
import { keepPatrol, lastFindings, type KeptPatrol } from './kept-patrols.js';
import { walkSite } from './patrol.js';

/** A patrol that is run from the console, or by itself at night. */
export interface OwnPatrol {
  readonly url: string;
  readonly by: KeptPatrol['by'];
  /** Whether who asks is at this machine, and may walk over what runs on it. */
  readonly isHere: boolean;
  readonly onProgress?: ((phase: string, done: number, all: number) => void) | undefined;
  /** Ends it early, with what was found. */
  readonly stop?: AbortSignal | undefined;
}

/** How far such a patrol goes. */
const limits = { pages: 5000, minutes: 30, atOnce: 6 };

/**
 * Walks the own site as strangers and as those who have opened its locks, and keeps what was found. It is judged
 * by the policy that counts, and gets in by passwords that can be looked up.
 *
 * @throws DorlinError `origin-invalid`, `site-unreachable`
 */
export async function patrolOwnSite(
  policyFile: string,
  { url, by, isHere, onProgress, stop }: OwnPatrol,
): Promise<KeptPatrol> {
  refuseElsewhere((await loadPolicy(policyFile)).site.origin, url, isHere);
  const { result } = await walkSite({ ...limits, url, policyFile, stop }, { onProgress });
  return keepPatrol(policyFile, result, { url, by, isStopped: stop?.aborted === true });
}

/** What an edit has done about what the last patrol found. */
export interface PatrolMended {
  readonly changes: readonly ProposedChange[];
  /** How many findings no change of the policy can mend. */
  readonly byHand: number;
}

/**
 * Puts what the last patrol found open under locks, where that mends it.
 *
 * @param file - the policy to edit, such as its draft
 */
export async function mendFromPatrol(policyFile: string, file: string): Promise<PatrolMended> {
  const findings = await lastFindings(policyFile);
  const { changes, byHand } = proposeChange(await loadPolicy(file), findings);
  if (changes.length > 0) {
    await editPolicyFile(file, (editor) => {
      applyProposal(editor, changes);
    });
  }
  return { changes, byHand: byHand.length };
}
