import { decide, shutBy, type Question } from '../decide.js';
import type { Policy } from './compile.js';

/** How an address stands for a stranger: open, or under these locks. */
export type Standing =
  { readonly open: true } | { readonly open: false; readonly locks: readonly string[] };

/** What a changed policy does to strangers. Addresses are in the order in which they were given. */
export interface Review {
  /** Shut before, open now. */
  readonly opened: readonly string[];
  /** Open before, shut now. */
  readonly closed: readonly string[];
  /** Shut before and now, but by another lock. */
  readonly moved: readonly string[];
}

/**
 * How an address stands at a moment (seconds since 1970) for somebody who has opened nothing. With
 * `#id` behind it, how that section of it does.
 */
export function standingOf(policy: Policy, address: string, now: number): Standing {
  return standingTo(policy, address, { passes: [], now });
}

/** The same for any visitor. */
export function standingTo(
  policy: Policy,
  address: string,
  question: Omit<Question, 'target'>,
): Standing {
  const [target = '', id] = address.split('#', 2);
  const decision = decide(policy, { target, ...question });
  if (decision.kind === 'open' || decision.kind === 'let-in') {
    return id === undefined ? { open: true } : standingOfSection(policy, target, id, question);
  }
  const locks = decision.kind === 'shut' ? decision.locks.map(({ name }) => name) : [];
  return { open: false, locks };
}

/** Compares what strangers get under two policies, address by address. */
export function reviewPolicies(
  before: Policy,
  after: Policy,
  targets: Iterable<string>,
  now: number,
): Review {
  const review = { opened: [] as string[], closed: [] as string[], moved: [] as string[] };
  for (const target of new Set(targets)) {
    const was = standingOf(before, target, now);
    const is = standingOf(after, target, now);
    if (was.open !== is.open) (is.open ? review.opened : review.closed).push(target);
    else if (!was.open && !is.open && was.locks.join() !== is.locks.join()) {
      review.moved.push(target);
    }
  }
  return review;
}

function standingOfSection(
  policy: Policy,
  target: string,
  id: string,
  question: Omit<Question, 'target'>,
): Standing {
  const read = policy.read(target);
  const locks = (read.ok ? read.readings : []).flatMap(
    (reading) => policy.sections.get(reading)?.get(decoded(id)) ?? [],
  );
  const lock = shutBy(locks, question);
  return lock === undefined ? { open: true } : { open: false, locks: [lock.name] };
}

function decoded(id: string): string {
  try {
    return decodeURIComponent(id);
  } catch {
    return id;
  }
}
