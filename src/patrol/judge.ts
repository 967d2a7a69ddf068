import type { Facts } from './facts.js';
import { leastRun, type LeakIndex } from './leak-index.js';
import { isRefusal, type Inside, type Tour } from './tour.js';

/**
 * Whether an answer holds what lies behind a lock: the same bytes, or words of it in a row. Where
 * nobody was inside to compare, every answer with 2xx that is neither a screen nor the site's "not
 * found" is taken for it: in doubt, something leaks.
 *
 * @param name - of what lies behind the lock: its address, with `#` for a section
 */
export function holdsLocked(tour: Tour, index: LeakIndex, facts: Facts, name: string): boolean {
  const inside = tour.insides.get(name);
  if (inside === undefined) {
    if (facts.seen !== 'let in' || name.includes('#')) return false;
    return facts.digest !== tour.notFound?.digest && facts.digest !== tour.strangers.get('/')?.digest;
  }
  if (!inside.isSection && facts.bytes > 0 && facts.digest === inside.facts.digest) return true;
  const runs = index.runsIn(facts.words);
  if (runs.some((run) => isOfSame(run.inside, inside))) return true;
  if (inside.isSection || facts.seen !== 'let in' || facts.bytes === 0) return false;
  // Too short to be told by its words, or no text at all.
  if (inside.telling.length < leastRun) return isAlike(facts, inside);
  // All that it says is said on open pages too: then by all of its words, at its own address.
  const isTold = index.runsIn(inside.telling).some((run) => isOfSame(run.inside, inside));
  return !isTold && facts.target === inside.target && hasSameWords(facts, inside.facts);
}

/** How many of a page's words another one has that may be the same, with another date or mark. */
const sameWords = 0.9;

function hasSameWords({ words }: Facts, { words: inside }: Facts): boolean {
  const said = new Set(words);
  const common = inside.filter((word) => said.has(word)).length;
  return common >= inside.length * sameWords;
}

/** What two pages of a place both say may be found by the name of the other. */
const isOfSame = (one: Inside, other: Inside) =>
  one === other || (one.lock === other.lock && one.place === other.place && !one.isSection);

/** Whether an answer may be what is inside, where its bytes are not the same. */
const isAlike = (facts: Facts, { facts: inside }: Inside) => facts.kind === inside.kind && !isRefusal(facts);
