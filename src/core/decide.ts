import { stranger, unmetConditions, type BypassCondition, type Visitor } from './bypass/bypass.js';
import type { Pass, PassStanding } from './passes/pass.js';
import { passStanding } from './passes/pass.js';
import type { Companion } from './places/canonical.js';
import type { Refusal } from './places/request-target.js';
import type { Lock, Policy } from './policy/types.js';
import { countsAt } from './policy/lock-state.js';
import { Standings } from './standings.js';

/** What is asked: may this visitor have this address now? */
export interface Question {
  /** The request target as it arrived. */
  readonly target: string;
  /** Passes whose signature was verified. */
  readonly passes: readonly Pass[];
  /** The mark of this session of the browser, where it has one. */
  readonly session?: string | undefined;
  /** Who the visitor is known to be; nobody, if left out. */
  readonly visitor?: Visitor | undefined;
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
  | {
      readonly kind: 'let-in';
      readonly locks: readonly Lock[];
      /** The bypass that let the visitor in, where it was not passes alone. */
      readonly bypass?: string | undefined;
    }
  /** At least one is not; any of `locks` would open the first that is not. */
  | { readonly kind: 'shut'; readonly locks: readonly Lock[] };

/** Why a decision came out as it did, in the order in which it was found out. */
export type Reason =
  | { readonly code: 'refused'; readonly refusal: Refusal }
  | { readonly code: 'read-as'; readonly reading: string }
  /** It may send the content of another page or file, by a kind of companion; these locks are before that. */
  | { readonly code: 'companion'; readonly kind: string; readonly reading: string; readonly locks: readonly string[] }
  | {
      readonly code: 'covered';
      readonly lock: string;
      readonly place: string;
      readonly nearest: boolean;
    }
  | { readonly code: 'left-out' | 'out-of-time'; readonly lock: string; readonly place: string }
  | { readonly code: 'no-lock'; readonly reading: string }
  | { readonly code: 'no-password'; readonly lock: string }
  | { readonly code: 'no-pass'; readonly lock: string }
  | { readonly code: 'requires'; readonly lock: string; readonly required: string }
  | {
      readonly code: 'bypass';
      readonly lock: string;
      readonly bypass: string;
      /** The conditions that do not hold; none: it lets the visitor in. */
      readonly unmet: readonly BypassCondition[];
    }
  | {
      readonly code: 'pass';
      readonly lock: string;
      readonly password: string;
      readonly standing: PassStanding;
    };

/** What stands before an address, whoever asks for it. */
export type Standing = (
  | Extract<Decision, { kind: 'refused' | 'open' }>
  | {
      readonly kind: 'locked';
      /** For every reading of the address that is locked, the locks of which any would open it. */
      readonly readings: readonly (readonly Lock[])[];
    }
) & {
  /** Canonical paths of pages and files whose whole content the address may send as well; none, if left out. */
  readonly companions?: readonly string[] | undefined;
};

const open: Standing & Decision = { kind: 'open' };
const standings = new Standings<Standing>();

/** The locks that stand before an address at a moment: the nearest of each of its readings. */
export function locksBefore(policy: Policy, target: string, now: number): Standing {
  const known = standings.get(policy, target, now);
  if (known !== undefined) return known;
  const standing = findLocksBefore(policy, target, now);
  standings.set(policy, target, now, standing);
  return standing;
}

/**
 * The same, found out anew.
 *
 * @param onReading - told of every reading, also of one that no lock covers
 * @param onCompanion - told of every locked page or file whose content the address may send as well
 */
export function findLocksBefore(
  policy: Policy,
  target: string,
  now: number,
  onReading?: (reading: string, nearest: readonly Lock[]) => void,
  onCompanion?: (companion: Companion, locks: readonly Lock[]) => void,
): Standing {
  const canonical = policy.read(target);
  if (!canonical.ok) return { kind: 'refused', refusal: canonical.refusal };
  // Most policies have no windows, and need not be asked about them at every address.
  const counts = policy.hasWindows ? (lock: Lock) => countsAt(lock, now) : undefined;
  let readings: (readonly Lock[])[] | undefined;
  for (const reading of canonical.readings) {
    const nearest = policy.index.nearest(reading, counts);
    onReading?.(reading, nearest);
    if (nearest.length > 0) (readings ??= []).push(nearest);
  }
  for (const companion of canonical.companions ?? []) {
    for (const locks of locksOfCompanion(policy, canonical.readings, companion, counts)) {
      onCompanion?.(companion, locks);
      (readings ??= []).push(locks);
    }
  }
  const whole = canonical.companions?.filter(({ isWhole }) => isWhole).map(({ reading }) => reading);
  const companions = whole?.length === 0 ? undefined : whole;
  if (readings === undefined) return companions === undefined ? open : { kind: 'open', companions };
  return { kind: 'locked', readings, companions };
}

/**
 * The locks of a page or a file whose content another address may send, its sections included: any lock of a
 * group would do, and every group must be open. A lock that makes an exception for exactly that address (by a
 * page or a pattern of pages) makes it for the content too, if the address is the page's own with one more
 * ending. A folder of exceptions (`/_next/`) says nothing of what is sent from there.
 */
function locksOfCompanion(
  policy: Policy,
  own: readonly string[],
  { reading, isTwin }: Companion,
  counts: ((lock: Lock) => boolean) | undefined,
): (readonly Lock[])[] {
  const sections = [...(policy.sections.get(reading)?.values() ?? [])];
  const groups = [policy.index.nearest(reading, counts), ...sections].map((locks) =>
    counts === undefined ? locks : locks.filter(counts),
  );
  const isLocked = (locks: readonly Lock[]) => locks.length > 0;
  if (!isTwin || !groups.some(isLocked)) return groups.filter(isLocked);
  const excepting = own.map(
    (one) =>
      new Set(
        policy.index
          .statements(one)
          .filter(({ says, place }) => says === 'except' && /^page(?:-pattern)?$/.test(place.kind))
          .map(({ lock }) => lock),
      ),
  );
  return groups.map((locks) => locks.filter((lock) => !excepting.every((all) => all.has(lock)))).filter(isLocked);
}

/**
 * The one decision: the nearest lock of every reading of the address must be open to the visitor.
 * All that answers requests, explains, lists or reviews asks this function, or its two halves, and
 * has no rules of its own.
 *
 * @param because - where given, the reasons are added to it
 */
export function decide(policy: Policy, question: Question, because?: Reason[]): Decision {
  const { target, now } = question;
  if (because === undefined) return decideBehind(locksBefore(policy, target, now), question);
  const standing = findLocksBefore(
    policy,
    target,
    now,
    (reading, nearest) => {
      explainReading(policy, reading, nearest, now, because);
      if (nearest.length > 0) openingAmong(nearest, question, because);
    },
    ({ kind, reading }, locks) => {
      because.push({ code: 'companion', kind, reading, locks: locks.map(({ name }) => name) });
      openingAmong(locks, question, because);
    },
  );
  if (standing.kind === 'refused') because.push({ code: 'refused', refusal: standing.refusal });
  return decideBehind(standing, question);
}

/** The decision for a visitor at an address of which it is known what stands before it. */
export function decideBehind(standing: Standing, question: Omit<Question, 'target'>, because?: Reason[]): Decision {
  if (standing.kind === 'open') return open;
  if (standing.kind !== 'locked') return standing;
  const letIn: Lock[] = [];
  let shut: readonly Lock[] | undefined;
  let bypass: string | undefined;
  for (const nearest of standing.readings) {
    const opening = openingAmong(nearest, question, because);
    if (!opening.isOpen) shut ??= opening.locks;
    else {
      letIn.push(...opening.locks);
      bypass ??= opening.bypass;
    }
  }
  return shut === undefined ? { kind: 'let-in', locks: letIn, bypass } : { kind: 'shut', locks: shut };
}

/** Of locks any of which would do, one that has a password to ask for. */
export function lockToAsk(locks: readonly Lock[]): Lock {
  const lock = locks.find(({ passwords }) => passwords.length > 0) ?? locks[0];
  if (lock === undefined) throw new Error('shut, but by no lock');
  return lock;
}

/** Of locks any of which would do: those that are open, or those any of which would open it. */
export type OpeningAmong =
  | { readonly isOpen: true; readonly locks: readonly Lock[]; readonly bypass?: string | undefined }
  | { readonly isOpen: false; readonly locks: readonly Lock[] };

/** Whether one of several locks that count is open to a visitor, with all that it requires. */
export function openingAmong(
  locks: readonly Lock[],
  question: Omit<Question, 'target'>,
  because?: Reason[],
): OpeningAmong {
  const opened: Lock[] = [];
  let isByPass = false;
  let bypass: string | undefined;
  // What any of the locks still requires, should no other of them be open.
  let missing: readonly Lock[] | undefined;
  for (const lock of locks) {
    const opening = openingOf(lock, question, because);
    if (opening === undefined) continue;
    const required = missingLock(lock, question, because);
    if (required !== undefined) {
      missing ??= [required];
      continue;
    }
    opened.push(lock);
    if (opening.bypass === undefined) isByPass = true;
    else bypass ??= opening.bypass;
  }
  if (opened.length === 0) return { isOpen: false, locks: missing ?? locks };
  return { isOpen: true, locks: opened, bypass: isByPass ? undefined : bypass };
}

/** Whether a lock that counts is open to a visitor, with all that it requires. */
export function isOpenTo(lock: Lock, question: Omit<Question, 'target'>): boolean {
  return countsAt(lock, question.now) && openingAmong([lock], question).isOpen;
}

/** The first lock that this one requires and that is not open to the visitor. */
function missingLock(lock: Lock, question: Omit<Question, 'target'>, because: Reason[] | undefined): Lock | undefined {
  return lock.requires.find((required) => {
    if (!countsAt(required, question.now)) return false;
    because?.push({ code: 'requires', lock: lock.name, required: required.name });
    return openingOf(required, question, because) === undefined;
  });
}

/** How a lock is open to a visitor: by a pass, or by a bypass. */
interface Opening {
  readonly bypass?: string | undefined;
}

const byPass: Opening = {};

/**
 * Whether and how a lock is open to a visitor, leaving aside what it requires. With `because`, nothing is cut short.
 */
function openingOf(lock: Lock, question: Omit<Question, 'target'>, because?: Reason[]): Opening | undefined {
  let opening: Opening | undefined;
  let hasPass = false;
  for (const pass of question.passes) {
    if (pass.l !== lock.name) continue;
    hasPass = true;
    const standing = passStanding(pass, lock, question.now, question.session);
    because?.push({ code: 'pass', lock: lock.name, password: pass.p, standing });
    if (standing === 'counts') opening = byPass;
  }
  if (!hasPass) {
    const code = lock.openers.size === 0 ? 'no-password' : 'no-pass';
    because?.push({ code, lock: lock.name });
  }
  for (const bypass of lock.bypasses) {
    const unmet = unmetConditions(bypass, question.visitor ?? stranger, question.now);
    because?.push({ code: 'bypass', lock: lock.name, bypass: bypass.name, unmet });
    if (unmet.length === 0) opening ??= { bypass: bypass.name };
  }
  return opening;
}

function explainReading(
  policy: Policy,
  reading: string,
  nearest: readonly Lock[],
  now: number,
  because: Reason[],
): void {
  because.push({ code: 'read-as', reading });
  for (const { lock, says, place } of policy.index.statements(reading)) {
    const said = { lock: lock.name, place: place.text };
    if (says === 'except') because.push({ code: 'left-out', ...said });
    else if (!countsAt(lock, now)) because.push({ code: 'out-of-time', ...said });
    else because.push({ code: 'covered', ...said, nearest: nearest.includes(lock) });
  }
  if (nearest.length === 0) because.push({ code: 'no-lock', reading });
}
