import { randomBytes } from 'node:crypto';
import { factsOf, type Facts } from './facts.js';
import type { PasswordForm } from './forms.js';
import { fillIn, formAt, type Keys } from './guests.js';
import { makeJar, type Jar } from './jar.js';
import type { LeakIndex } from './leak-index.js';
import { note } from './note.js';
import type { Sample } from './samples.js';
import type { Tour } from './tour.js';

/** A password that opens nothing. */
export const wrongPassword = () => `wrong-${randomBytes(6).toString('hex')}`;

/** One wrong password at each lock, and those that have ended. */
export async function checkWrongPasswords(
  tour: Tour,
  index: LeakIndex,
  { endedPasswords }: Keys,
  samples: readonly Sample[],
): Promise<void> {
  const locks = new Set(samples.map(({ lock }) => lock));
  for (const lock of locks) {
    const ofLock = samples.filter((sample) => sample.lock === lock);
    const door = await doorFor(tour, ofLock);
    if (door === undefined) continue;
    const ended = endedPasswords.filter((one) => one.lock === lock).map(({ password }) => password);
    for (const typed of [wrongPassword(), ...ended]) {
      await tryWrong(tour, index, { ...door, samples: ofLock, typed, isEnded: ended.includes(typed) });
    }
  }
}

interface Door {
  readonly sample: Sample;
  readonly form: PasswordForm;
  readonly asked: Facts;
  /** Of a browser that has opened what stands before the door, if anything does. */
  readonly jar: Jar;
}

/**
 * The cookies of somebody who has opened nothing. That a browser was in once is no pass; but its
 * wrong tries are counted by themselves, so that patrols one after the other, from one address, do
 * not use up the tries of that address.
 */
function strangerJar({ guests }: Tour, lock: string): Jar {
  const guest = guests.find((one) => one.lock === lock);
  return guest?.jar.only((name) => name.endsWith('dorlin-known')) ?? makeJar();
}

/** The first form of a lock that a wrong password can be typed into. */
async function doorFor(tour: Tour, samples: readonly Sample[]): Promise<Door | undefined> {
  for (const sample of samples) {
    const { target, lock, isSection } = sample;
    // The page of a section may be locked itself.
    const others = isSection ? tour.guests.filter((guest) => guest.lock !== lock) : [];
    for (const jar of [strangerJar(tour, lock), ...others.map((guest) => guest.jar.copy())]) {
      const asked = factsOf(target, await tour.asker.ask({ target, jar }), tour.site);
      const form = formAt(asked, isSection ? lock : undefined);
      if (form !== undefined) return { sample, form, asked, jar };
    }
  }
  return undefined;
}

async function tryWrong(
  tour: Tour,
  index: LeakIndex,
  {
    sample: door,
    form,
    asked,
    jar: before,
    samples,
    typed,
    isEnded,
  }: Door & {
    readonly samples: readonly Sample[];
    readonly typed: string;
    readonly isEnded: boolean;
  },
): Promise<void> {
  const jar = before.copy();
  const answer = await fillIn(tour, form, typed, jar);
  const isSame = answer.status < 300 || answer.status > 399 ? sameText(answer, asked) : false;
  if (isSame && !isEnded)
    tour.findings.add('wrong-password-unsaid', door, {
      where: door.target,
      how: `the same page comes again, with ${answer.status}`,
    });
  const leak = isEnded ? 'ended-password-opens' : 'wrong-password-opens';
  const how = isEnded ? 'asked after a password that has ended' : 'asked after a wrong password';
  for (const sample of samples) {
    const { target } = sample;
    const again = factsOf(target, await tour.asker.ask({ target, jar }), tour.site);
    note(tour, index, {
      role: 'wrong password',
      sample,
      facts: again,
      expected: false,
      how,
      wrongs: { leak, closed: 'open-is-closed' },
    });
  }
}

const sameText = (one: Facts, other: Facts) =>
  one.words.length === other.words.length && one.words.every((word, at) => word === other.words[at]);
