import { closest } from 'fastest-levenshtein';
import { checkPolicy } from '../../core/check/policy-checks.js';
import { checkScreens } from '../../core/check/screen-checks.js';
import { checkSite, type SiteFile } from '../../core/check/site-checks.js';
import { findingTable, type Finding, type FindingCode } from '../../core/check/table.js';
import { DorlinError } from '../../core/errors.js';
import { examplesOf, folded } from '../../core/folded.js';
import type { Policy } from '../../core/policy/types.js';
import { standingOut } from '../journal.js';
import { waitingDraft } from '../../stores/draft.js';
import { keptNames } from '../../stores/kept-files.js';
import { loadPolicy } from '../../stores/policy-file.js';
import { momentMeant } from '../seen-by.js';
import { judgedPasswords } from './judged-passwords.js';
import { checkMachine } from './machine.js';
import { folderOfSite } from '../site-files.js';
import { readSite } from './site-texts.js';

/** What is checked, and how. */
export interface CheckOrder {
  /** The folder of the site's files; else the policy's. */
  readonly folder?: string | undefined;
  /** As it will be at another moment: one, or a span from now. */
  readonly at?: string | undefined;
  /** Findings that are meant to be as they are. */
  readonly skip?: readonly string[] | undefined;
}

/** A kind of finding, with all that was found of it. */
export interface CheckedKind {
  readonly code: FindingCode;
  readonly title: string;
  readonly why: string;
  readonly mend: string;
  /** Where the reference tells of it. */
  readonly page: string;
  readonly findings: readonly Omit<Finding, 'code'>[];
  /** The same by where it is: what lies in one folder, and has one cause, in one line. */
  readonly groups: readonly CheckedGroup[];
}

/** Findings of one kind and cause that lie in one folder. */
export interface CheckedGroup {
  readonly text: string;
  readonly findings: number;
}

/** Likely mistakes of a policy and its site. */
export interface CheckResult {
  readonly site: string;
  /** How many files were looked into; `null` where the policy names no folder of them. */
  readonly files: number | null;
  /** How many mistakes were found in all. */
  readonly findings: number;
  readonly kinds: readonly CheckedKind[];
  /** The draft that waits to be made live. */
  readonly draft?: string | undefined;
}

/**
 * Looks for likely mistakes.
 * @throws DorlinError `finding-unknown`, `time-invalid`, `folder-missing`
 */
export async function check(policyFile: string, { folder, at, skip = [] }: CheckOrder = {}): Promise<CheckResult> {
  refuseUnknownCodes(skip, Object.keys(findingTable));
  const policy = await loadPolicy(policyFile);
  const now = momentMeant(policy, at);
  const files = await readSite(policyFile, policy, folder);
  const found = [
    ...checkPolicy(policy, await judgedPasswords(policyFile, policy), now),
    ...(await screenFindings(policyFile, policy, now, files)),
    ...(files === undefined ? [] : checkSite(policy, files, now)),
    ...(await leftOutFindings(policyFile, policy, folder)),
    ...(await checkMachine(policyFile, policy, folder, now)),
    ...(await standingOut(policyFile, policy)).map(({ kind, lock, text }): Finding => ({
      code: kind,
      about: lock,
      text,
    })),
  ].filter(({ code }) => !skip.includes(code));
  return {
    site: policy.site.name,
    files: files?.length ?? null,
    findings: found.length,
    kinds: kindsOf(found),
    draft: await waitingDraft(policyFile),
  };
}

/** What is in the site's folder and nobody gets. */
async function leftOutFindings(policyFile: string, policy: Policy, folder: string | undefined): Promise<Finding[]> {
  if (folder === undefined && policy.site.folder === undefined) return [];
  const { leftOut } = await folderOfSite(policyFile, policy, folder);
  return leftOut.map(({ path, why }) => {
    const cause = why === 'link' ? 'are symbolic links, and are not served' : 'begin with a dot, and are not served';
    const text = `${path} ${why === 'link' ? 'is a symbolic link' : 'begins with a dot'}, and is not served.`;
    return { code: 'file-left-out', about: path, cause, text };
  });
}

/** @throws DorlinError `finding-unknown` */
export function refuseUnknownCodes(codes: readonly string[], known: readonly string[]): void {
  const wrong = codes.find((code) => !known.includes(code));
  if (wrong === undefined) return;
  throw new DorlinError('finding-unknown', `There is no finding \`${wrong}\`.`, {
    mend: `Did you mean \`${closest(wrong, known)}\`?`,
  });
}

/** What can be seen of the screens. What knows of colors is slow to load, so here. */
async function screenFindings(
  policyFile: string,
  policy: Policy,
  now: number,
  files: readonly SiteFile[] | undefined,
): Promise<Finding[]> {
  const { nearestPassing } = await import('../../core/screen/design/nearest.js');
  const targets = files && new Set(files.map(({ target }) => target));
  return checkScreens(policy, nearestPassing, now, targets, new Set(await keptNames(policyFile)));
}

function kindsOf(found: readonly Finding[]): CheckedKind[] {
  return [...new Set(found.map(({ code }) => code))].map((code) => {
    const findings = found.filter((one) => one.code === code);
    return {
      code,
      ...findingTable[code],
      page: `docs/reference/findings.md#${code}`,
      findings: findings.map(({ about, text, cause }) => ({ about, text, cause })),
      groups: groupsOf(findings),
    };
  });
}

/** What lies in one folder and has one cause, as one line with a number. */
function groupsOf(findings: readonly Finding[]): CheckedGroup[] {
  const items = findings.map(({ about, cause, text }) => ({ where: about, cause, text }));
  return folded(items).flatMap((fold): CheckedGroup[] => {
    if (!fold.isMany) return fold.items.map(({ text }) => ({ text, findings: 1 }));
    const count = fold.items.length.toLocaleString('en');
    const text = `${fold.folder}: ${count} ${fold.items[0].cause ?? ''}, such as ${examplesOf(fold)}.`;
    return [{ text, findings: fold.items.length }];
  });
}
