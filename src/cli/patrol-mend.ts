import { applyMend, proposeMend, type Mend } from '../owner/patrol/mend.js';
import type { Patrolled, PatrolReport } from '../owner/patrol/patrol.js';
import { patrolTable } from '../patrol/finding-table.js';
import { printChange } from './change-words.js';
import { paint, print } from './output.js';

/**
 * Proposes the change of the policy that closes what a patrol found, shows it as a review, and
 * writes it on a yes alone.
 *
 * @throws DorlinError `policy-changed` where the policy is another one meanwhile
 */
export async function offerMend(
  policyFile: string,
  { policy, text, result }: Patrolled,
  { yes, json }: { readonly yes: boolean; readonly json: boolean },
): Promise<PatrolReport['proposal']> {
  if (policy === undefined) return undefined;
  const mend = await proposeMend(policyFile, policy, text, result);
  const { changes } = mend;
  if (!json) show(policyFile, mend);
  if (changes.length === 0) return { changes, end: 'nothing-to-change' };
  if (!yes && !(await isWanted(policyFile, json))) return { changes, end: 'asked' };
  await applyMend(policyFile, text, mend);
  if (!json) print(`Written into ${policyFile}; \`dorlin back\` takes it back.`);
  return { changes, end: 'written' };
}

function show(policyFile: string, { changes, byHand, review }: Mend): void {
  print();
  if (changes.length === 0) print('No change of the policy would close anything of this.');
  else {
    print(paint.bold(`A change of ${policyFile} that closes it`));
    if (review !== undefined) printChange(review);
    for (const { kind, place } of changes) {
      if (kind !== 'cover') print(`${place} is sent without what is locked: named under site.${kind}`);
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
