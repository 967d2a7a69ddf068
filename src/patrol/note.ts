import type { PlaceOfLock } from './expectation.js';
import type { Facts, Seen } from './facts.js';
import type { PatrolCode } from './finding-table.js';
import { formAt } from './guests.js';
import { holdsLocked } from './judge.js';
import type { LeakIndex } from './leak-index.js';
import type { Sample } from './samples.js';
import type { Role, Tour } from './tour.js';

/** What no lock covers, as one place of the report. */
export const everythingElse: PlaceOfLock = { place: 'everything else', lock: '' };

/** What is wrong, if somebody gets what others must not, or does not get what is meant for one. */
interface Wrongs {
  readonly leak: PatrolCode;
  readonly closed: PatrolCode;
}

/** Notes what somebody got at a sample, and finds it right or wrong. */
export function note(
  tour: Tour,
  index: LeakIndex,
  {
    role,
    sample,
    facts,
    expected,
    how,
    wrongs,
    isQuoted = false,
  }: {
    readonly role: Role;
    readonly sample: Sample;
    readonly facts: Facts;
    /** Whether it should be let in; undefined where nothing says so. */
    readonly expected: boolean | undefined;
    /** What was done, for the finding. */
    readonly how: string;
    readonly wrongs: Wrongs;
    /** Whether the words that leak are told of elsewhere. */
    readonly isQuoted?: boolean;
  },
): void {
  const { target, place, lock, isSection, name } = sample;
  const holds = holdsLocked(tour, index, facts, name);
  const isIn = isSection ? facts.seen === 'let in' && formAt(facts, lock) === undefined : facts.seen === 'let in';
  const verdict = expected === false && holds ? 'leak' : expected === true && !isIn ? 'closed' : 'right';
  // What answers with 200 and is not the page is a screen of some kind.
  const other: Seen = expected === false && !holds && facts.seen === 'let in' ? 'screen' : facts.seen;
  const seen = isSection && facts.seen === 'let in' && formAt(facts, lock) !== undefined ? 'screen' : other;
  tour.checks.push({ role, target, place, lock, seen, verdict });
  if (verdict === 'right') return;
  // What is open to everybody is one finding, not one for each role.
  const isOpenAnyway = role !== 'stranger' && verdict === 'leak' && isOpenToStrangers(tour, index, sample);
  if (isOpenAnyway || (isQuoted && verdict === 'leak')) return;
  const where = isSection ? name : target;
  // Whoever waits in vain was not refused: nothing is known then.
  if (facts.status === 0)
    tour.findings.add('no-answer', sample, { where, how: `${how}: ${facts.problem ?? 'no answer'}` });
  else tour.findings.add(wrongs[verdict], sample, { where, how: `${how}: ${facts.status}` });
}

/** Whether a stranger gets a sample without any trick. */
export function isOpenToStrangers(tour: Tour, index: LeakIndex, sample: Sample): boolean {
  const direct = tour.strangers.get(sample.target);
  return direct !== undefined && holdsLocked(tour, index, direct, sample.name);
}
