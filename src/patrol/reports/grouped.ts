import { examplesOf, folded } from '../../core/folded.js';
import type { PatrolCode, Severity } from '../finding-table.js';
import type { PatrolFinding } from '../finding.js';

/** One line of a report: a case, or many of one folder to which the same happened. */
export interface PatrolLine {
  /** An address, or a folder with its number of addresses. */
  readonly where: string;
  /** What happened there. */
  readonly how: string;
  /** How many cases it is. */
  readonly cases: number;
  /** Words of a locked place that stand there. */
  readonly words?: string | undefined;
}

/** All that is to be mended in one way at one lock. */
export interface PatrolGroup {
  readonly code: PatrolCode;
  readonly severity: Severity;
  readonly lock: string;
  /** The places of the policy that it is about. */
  readonly places: readonly string[];
  readonly lines: readonly PatrolLine[];
}

/** Findings by what they are and by lock, their cases by folder: a hundred pages are one line. */
export function groupedFindings(findings: readonly PatrolFinding[]): PatrolGroup[] {
  const groups = new Map<string, PatrolFinding[]>();
  for (const finding of findings) {
    const key = `${finding.code}\n${finding.lock}`;
    groups.set(key, [...(groups.get(key) ?? []), finding]);
  }
  return [...groups.values()].flatMap((group): PatrolGroup[] => {
    const [first] = group;
    if (first === undefined) return [];
    const { code, severity, lock } = first;
    const places = group.map(({ place }) => place);
    return [{ code, severity, lock, places, lines: linesOf(group) }];
  });
}

function linesOf(group: readonly PatrolFinding[]): PatrolLine[] {
  // What quotes the locked page says something of its own each time.
  const cases = group
    .flatMap((finding) => finding.cases)
    .map((one) => ({ ...one, cause: one.words === undefined || one.words === '' ? one.how : undefined }));
  return folded(cases).flatMap((fold): PatrolLine[] => {
    if (!fold.isMany) {
      return fold.items.map(({ where, how, words }) => ({ where, how, cases: 1, words }));
    }
    const [{ how }] = fold.items;
    const count = fold.items.length.toLocaleString('en');
    const where = `${fold.folder}: ${count} addresses, such as ${examplesOf(fold)}`;
    return [{ where, how, cases: fold.items.length }];
  });
}
