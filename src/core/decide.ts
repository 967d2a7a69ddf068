import type { Pass, PassStanding } from './passes/pass.js';
import { passStanding } from './passes/pass.js';
import type { Refusal } from './places/canonical.js';
import type { Lock, Policy } from './policy/compile.js';

/** What is asked: may this visitor have this address now? */
export interface Question {
  /** The request target as it arrived. */
  readonly target: string;
  /** Passes whose signature was verified. */
  readonly passes: readonly Pass[];
  /** The browser's mark of this visit, where it has one. */
  readonly visit?: string | undefined;
  /** In seconds since 1970. */
  readonly now: number;
}

/** The answer, before any HTTP. */
export type Decision =
  /** The target cannot be read for certain. */
  | { readonly kind: 'refused'; readonly refusal: Refusal }
  /** No lock covers it. */
  | { readonly kind: 'open' }
  /** Every lock that counts is open to this visitor. */
  | { readonly kind: 'let-in'; readonly locks: readonly Lock[] }
  /** At least one is not; any of `locks` would open the first that is not. */
  | { readonly kind: 'shut'; readonly locks: readonly Lock[] };

/** Why a decision came out as it did, in the order in which it was found out. */
export type Reason =
  | { readonly code: 'refused'; readonly refusal: Refusal }
  | { readonly code: 'read-as'; readonly reading: string }
  | {
      readonly code: 'covered';
      readonly lock: string;
      readonly place: string;
      readonly nearest: boolean;
    }
  | { readonly code: 'left-out'; readonly lock: string; readonly place: string }
  | { readonly code: 'no-lock'; readonly reading: string }
  | { readonly code: 'no-password'; readonly lock: string }
  | { readonly code: 'no-pass'; readonly lock: string }
  | {
      readonly code: 'pass';
      readonly lock: string;
      readonly password: string;
      readonly standing: PassStanding;
    };

const open: Decision = { kind: 'open' };

/**
 * The one decision: the nearest lock of every reading of the address must be open to the visitor.
 * All that answers requests, explains, lists or reviews asks this function and has no rules of
 * its own.
 *
 * @param because - where given, the reasons are added to it
 */
export function decide(policy: Policy, question: Question, because?: Reason[]): Decision {
  const canonical = policy.read(question.target);
  if (!canonical.ok) {
    because?.push({ code: 'refused', refusal: canonical.refusal });
    return { kind: 'refused', refusal: canonical.refusal };
  }
  let letIn: readonly Lock[] | undefined;
  let shut: readonly Lock[] | undefined;
  for (const reading of canonical.readings) {
    const nearest = policy.index.nearest(reading);
    if (because !== undefined) explainReading(policy, reading, nearest, because);
    if (nearest.length === 0) continue;
    const opened = nearest.filter((lock) => isOpenTo(lock, question, because));
    if (opened.length > 0) letIn = letIn === undefined ? opened : [...letIn, ...opened];
    else shut ??= nearest;
  }
  if (shut !== undefined) return { kind: 'shut', locks: shut };
  return letIn === undefined ? open : { kind: 'let-in', locks: letIn };
}

/** Whether the visitor has opened a lock; `decide` asks it, and so does the list of open locks. */
export function isOpenTo(
  lock: Lock,
  question: Pick<Question, 'passes' | 'visit' | 'now'>,
  because?: Reason[],
): boolean {
  let isOpen = false;
  let hasPass = false;
  for (const pass of question.passes) {
    if (pass.l !== lock.name) continue;
    hasPass = true;
    const standing = passStanding(pass, lock, question.now, question.visit);
    because?.push({ code: 'pass', lock: lock.name, password: pass.p, standing });
    if (standing === 'counts') isOpen = true;
  }
  if (!hasPass) {
    const code = lock.passwords.length === 0 ? 'no-password' : 'no-pass';
    because?.push({ code, lock: lock.name });
  }
  return isOpen;
}

function explainReading(
  policy: Policy,
  reading: string,
  nearest: readonly Lock[],
  because: Reason[],
): void {
  because.push({ code: 'read-as', reading });
  for (const { lock, says, place } of policy.index.statements(reading)) {
    because.push(
      says === 'covers'
        ? { code: 'covered', lock: lock.name, place: place.text, nearest: nearest.includes(lock) }
        : { code: 'left-out', lock: lock.name, place: place.text },
    );
  }
  if (nearest.length === 0) because.push({ code: 'no-lock', reading });
}
