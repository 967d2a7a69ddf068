import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { editPolicy } from '../core/policy/edit.js';
import { patrolTable } from '../patrol/finding-table.js';
import type { PatrolResult } from '../patrol/patrol.js';
import { applyProposal, proposeChange, type Proposal } from '../patrol/propose.js';
import { editPolicyFile, readPolicyText } from '../stores/policy-file.js';
import { changeBetween, printChange } from './change.js';
import { paint, print } from './output.js';

/** What became of a proposal: `asked`: it was shown, and nobody said yes. */
export type ProposalEnd = 'written' | 'asked' | 'nothing-to-change';

/**
 * Proposes the change of the policy that closes what a patrol found, shows it as a review, and
 * writes it on a yes alone.
 *
 * @throws DorlinError `policy-changed` where the policy is another one meanwhile
 */
export async function offerProposal(
  policyFile: string,
  policy: Policy,
  text: string,
  result: PatrolResult,
  { yes = false, json = false }: { readonly yes?: boolean; readonly json?: boolean },
): Promise<{ readonly proposal: Proposal; readonly end: ProposalEnd }> {
  const proposal = proposeChange(policy, result.findings);
  const { changes } = proposal;
  if (!json) await show(policyFile, text, proposal);
  if (changes.length === 0) return { proposal, end: 'nothing-to-change' };
  if (!yes && !(await isWanted(policyFile, json))) return { proposal, end: 'asked' };
  if ((await readPolicyText(policyFile)) !== text) {
    throw new DorlinError('policy-changed', `${policyFile} was changed during the patrol; nothing was written.`); // prettier-ignore
  }
  await editPolicyFile(policyFile, (editor) => {
    applyProposal(editor, changes);
  });
  if (!json) print(`Written into ${policyFile}; \`dorlin back\` takes it back.`);
  return { proposal, end: 'written' };
}

async function show(
  policyFile: string,
  text: string,
  { changes, byHand }: Proposal,
): Promise<void> {
  print();
  if (changes.length === 0) print('No change of the policy would close anything of this.');
  else {
    print(paint.bold(`A change of ${policyFile} that closes it`));
    const edited = editPolicy(text, policyFile, (editor) => {
      applyProposal(editor, changes);
    });
    const places = changes.flatMap((one) => (one.kind === 'cover' ? [one.place] : []));
    if (places.length > 0) printChange(await changeBetween(policyFile, edited, places));
    for (const { kind, place } of changes) {
      if (kind !== 'cover') print(`${place} is sent without what is locked: named under site.${kind}`); // prettier-ignore
    }
  }
  const rest = byHand.filter(({ severity }) => severity !== 'warning');
  if (rest.length === 0) return;
  print();
  print(paint.bold('To be mended at the site'));
  for (const { code, cases } of rest) {
    const [first] = cases;
    const more = cases.length > 1 ? ` and ${cases.length - 1} more` : '';
    print(`  ${first?.where ?? ''}${more}: ${paint.dim(patrolTable[code].mend)}`);
  }
}

async function isWanted(policyFile: string, json: boolean): Promise<boolean> {
  if (json || !process.stdin.isTTY || !process.stdout.isTTY) {
    if (!json) print(paint.dim('Nothing was written. To write it: the same with --yes.'));
    return false;
  }
  const { default: confirm } = await import('@inquirer/confirm');
  return confirm({ message: `Write this into ${policyFile}?`, default: false });
}
