import type { PlaceOfLock, Who } from './expectation.js';
import { shouldGet, type Tour } from './tour.js';

/** An address that stands for its place where not all can be tried in every way. */
export interface Sample extends PlaceOfLock {
  readonly target: string;
  /** As {@link Tour.insides} has it. */
  readonly name: string;
  /** Whether a section of the page is meant. */
  readonly isSection: boolean;
}

/** Some addresses for each place: its front, another page, a file. */
export function samplesOf(
  tour: Tour,
  closed: readonly { readonly target: string; readonly of: PlaceOfLock }[],
): Sample[] {
  const byPlace = new Map<string, Sample[]>();
  for (const { target, of } of closed) {
    const facts = tour.insides.get(target)?.facts ?? tour.strangers.get(target);
    const sample = { ...of, target, name: target, isSection: false };
    const key = `${of.lock}\n${of.place}`;
    const samples = byPlace.get(key) ?? [];
    byPlace.set(key, samples);
    const isFront = encodeURI(of.place).replace(/\/$/, '') === target.replace(/\/$/, '');
    if (isFront && samples[0]?.target !== target) samples.unshift(sample);
    // What guests were sent on from, and what is not there, stands for nothing.
    else if (tour.insides.has(target) || hasNoGuest(tour, of)) {
      const kinds = samples.map((one) => tour.insides.get(one.target)?.facts.kind);
      const isNewKind = facts !== undefined && !kinds.includes(facts.kind);
      if (samples.length < 2 || (samples.length < 4 && isNewKind)) samples.push(sample);
    }
  }
  const sections = [...tour.insides.values()].filter(({ isSection, isFromFile }) => isSection && isFromFile !== true);
  return [
    ...[...byPlace.values()].flatMap((samples) => {
      // A front that leads on, to an index file, is no page itself.
      const seen = samples.filter(({ target }) => tour.insides.has(target));
      return seen.length > 0 ? seen : samples.slice(0, 2);
    }),
    ...sections.map(({ place, lock, target, name }) => ({ place, lock, target, name, isSection: true })),
  ];
}

const hasNoGuest = (tour: Tour, of: PlaceOfLock) => !tour.guests.some(({ lock }) => lock === of.lock);

/** Whether somebody should get a sample: the page, or the section of it. */
export function expects(tour: Tour, sample: Sample, who: Who | undefined): boolean | undefined {
  if (!sample.isSection) return shouldGet(tour, sample.target, who);
  if (tour.expectation === undefined || who === undefined) return undefined;
  const isPageOpen = shouldGet(tour, sample.target, who) === true;
  return isPageOpen && tour.expectation.isSectionOpen(sample.target, sample, who);
}
