import { DorlinError } from '../../core/errors.js';
import { editPolicy } from '../../core/policy/edit.js';
import type { Review } from '../../core/policy/review.js';
import type { Policy } from '../../core/policy/types.js';
import type { PatrolFinding } from '../../patrol/finding.js';
import type { PatrolResult } from '../../patrol/patrol.js';
import { applyProposal, proposeChange, type ProposedChange } from '../../patrol/propose.js';
import { editPolicyFile, readPolicyText } from '../../stores/policy-file.js';
import { changeBetween } from '../change.js';

/** The change of a policy that closes what a patrol found, and what it would open and close. */
export interface Mend {
  readonly changes: readonly ProposedChange[];
  /** What no change of a policy can mend: it is to be done at the site. */
  readonly byHand: readonly PatrolFinding[];
  /** Where the changes put places under locks: what that does. */
  readonly review?: Review | undefined;
}

/** Proposes the change that closes what a patrol found; nothing is written. */
export async function proposeMend(
  policyFile: string,
  policy: Policy,
  text: string,
  { findings }: PatrolResult,
): Promise<Mend> {
  const { changes, byHand } = proposeChange(policy, findings);
  const places = changes.flatMap((one) => (one.kind === 'cover' ? [one.place] : []));
  if (places.length === 0) return { changes, byHand };
  const edited = editPolicy(text, policyFile, (editor) => {
    applyProposal(editor, changes);
  });
  return { changes, byHand, review: await changeBetween(policyFile, edited, places) };
}

/**
 * Writes a proposed change, if the policy is still the one that it was proposed for.
 * @throws DorlinError `policy-changed`, and those of an edit
 */
export async function applyMend(policyFile: string, text: string, { changes }: Mend): Promise<void> {
  if ((await readPolicyText(policyFile)) !== text) {
    const what = `${policyFile} was changed during the patrol; nothing was written.`;
    throw new DorlinError('policy-changed', what);
  }
  await editPolicyFile(policyFile, (editor) => {
    applyProposal(editor, changes);
  });
}
