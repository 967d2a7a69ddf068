import { patrolTable, type PatrolCode, type Severity } from './finding-table.js';

/** One thing that was seen, of those that a finding gathers. */
export interface Case {
  /** The address that was asked, as it was sent. */
  readonly where: string;
  /** What happened there, in a few words. */
  readonly how: string;
  /** Words of the locked place that stand there. */
  readonly words?: string | undefined;
  /** Whether a file was asked for that is no page, and could be locked as a whole. */
  readonly isFile?: boolean | undefined;
  /** The locked pages and files that it is about. */
  readonly about?: readonly string[] | undefined;
}

/** Something to mend, gathered over all addresses of a place at which it was seen. */
export interface PatrolFinding {
  readonly code: PatrolCode;
  readonly severity: Severity;
  /** The place of the policy that it is about; without a policy, the folder or page. */
  readonly place: string;
  /** The lock of that place; empty where no lock is known. */
  readonly lock: string;
  readonly cases: readonly Case[];
}

/** What a patrol has found so far. */
export interface Findings {
  add(code: PatrolCode, of: { readonly place: string; readonly lock: string }, one: Case): void;
  list(): PatrolFinding[];
}

export function gatherFindings(skipped: readonly string[] = []): Findings {
  const found = new Map<string, PatrolFinding & { readonly cases: Case[] }>();
  const codes = Object.keys(patrolTable);
  return {
    add(code, { place, lock }, one) {
      if (skipped.includes(code)) return;
      const key = `${code}\n${lock}\n${place}`;
      const { severity } = patrolTable[code];
      const finding = found.get(key) ?? { code, severity, place, lock, cases: [] };
      const isKnown = finding.cases.some((other) => other.where === one.where && other.how === one.how);
      if (!isKnown) finding.cases.push(one);
      found.set(key, finding);
    },
    list: () =>
      [...found.values()].sort(
        (one, other) =>
          weight[one.severity] - weight[other.severity] || codes.indexOf(one.code) - codes.indexOf(other.code),
      ),
  };
}

const weight: Readonly<Record<Severity, number>> = { leak: 0, closed: 1, warning: 2 };
