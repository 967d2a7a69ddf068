import { createHash, randomBytes } from 'node:crypto';
import { isWithin } from '../core/windows/window.js';
import { nobody, visitorsByAddress, type PlaceOfLock, type Who } from './expectation.js';
import { factsOf, type Facts, type Seen } from './facts.js';
import type { PatrolCode } from './finding-table.js';
import { asGuest, basicHeader, fillIn, formAt, type Guest, type Keys } from './guests.js';
import type { PasswordForm } from './forms.js';
import { makeJar, type Jar } from './jar.js';
import { holdsLocked } from './judge.js';
import type { LeakIndex } from './leak-index.js';
import { isRefusal, shouldGet, type Role, type Tour } from './tour.js';

/** An address that stands for its place where not all can be tried in every way. */
export interface Sample extends PlaceOfLock {
  readonly target: string;
  /** As {@link Tour.insides} has it. */
  readonly name: string;
  /** Whether a section of the page is meant. */
  readonly isSection: boolean;
}

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
  const isIn = isSection ? facts.seen === 'let in' && formAt(facts, lock) === undefined : facts.seen === 'let in'; // prettier-ignore
  const verdict = expected === false && holds ? 'leak' : expected === true && !isIn ? 'closed' : 'right'; // prettier-ignore
  // What answers with 200 and is not the page is a screen of some kind.
  const other: Seen = expected === false && !holds && facts.seen === 'let in' ? 'screen' : facts.seen; // prettier-ignore
  const seen = isSection && facts.seen === 'let in' && formAt(facts, lock) !== undefined ? 'screen' : other; // prettier-ignore
  tour.checks.push({ role, target, place, lock, seen, verdict });
  if (verdict === 'right') return;
  // What is open to everybody is one finding, not one for each role.
  const isOpenAnyway = role !== 'stranger' && verdict === 'leak' && isOpenToStrangers(tour, index, sample); // prettier-ignore
  if (isOpenAnyway || (isQuoted && verdict === 'leak')) return;
  tour.findings.add(wrongs[verdict], sample, { where: isSection ? name : target, how: `${how}: ${facts.status === 0 ? 'no answer' : facts.status}` }); // prettier-ignore
}

/** Whether a stranger gets a sample without any trick. */
export function isOpenToStrangers(tour: Tour, index: LeakIndex, sample: Sample): boolean {
  const direct = tour.strangers.get(sample.target);
  return direct !== undefined && holdsLocked(tour, index, direct, sample.name);
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
  const sections = [...tour.insides.values()].filter(({ isSection }) => isSection);
  return [
    ...[...byPlace.values()].flatMap((samples) => {
      // A front that leads on, to an index file, is no page itself.
      const seen = samples.filter(({ target }) => tour.insides.has(target));
      return seen.length > 0 ? seen : samples.slice(0, 2);
    }),
    ...sections.map(({ place, lock, target, name }) => ({ place, lock, target, name, isSection: true })), // prettier-ignore
  ];
}

const hasNoGuest = (tour: Tour, of: PlaceOfLock) =>
  !tour.guests.some(({ lock }) => lock === of.lock);

/** Strangers at everything that was found. */
export function checkStrangers(tour: Tour, index: LeakIndex, all: readonly Sample[]): void {
  const { expectation, strangers } = tour;
  for (const sample of all) {
    const facts = strangers.get(sample.target);
    if (facts === undefined) continue;
    const isFront = encodeURI(sample.place).replace(/\/$/, '') === sample.target.replace(/\/$/, '');
    const isKept = Number(facts.headers['age'] ?? 0) > 0 || /hit/i.test(facts.headers['x-cache'] ?? ''); // prettier-ignore
    const leak = isRefusal(facts) ? 'screen-holds-page' : isKept ? 'cached-copy-open' : sample.isSection ? 'section-open' : isFront || !sample.place.endsWith('/') ? 'open-to-strangers' : 'child-open'; // prettier-ignore
    const isQuoted = sample.isSection || (isRefusal(facts) && facts.kind === 'page');
    note(tour, index, { role: 'stranger', sample, facts, expected: false, how: 'asked by a stranger', wrongs: { leak, closed: 'open-is-closed' }, isQuoted }); // prettier-ignore
  }
  if (expectation === undefined) return;
  for (const facts of strangers.values()) {
    const { target, seen } = facts;
    if (expectation.placeOf(target) !== undefined || target.startsWith(`${expectation.policy.site.prefix}/`)) continue; // prettier-ignore
    if (expectation.isOpen(target, nobody) !== true) continue; // prettier-ignore
    if (seen === 'not found') continue;
    const verdict = isRefusal(facts) ? 'closed' : 'right';
    tour.checks.push({ role: 'stranger', target, ...everythingElse, seen, verdict });
    if (verdict === 'closed') tour.findings.add('open-is-closed', everythingElse, { where: target, how: `answers ${facts.status}` }); // prettier-ignore
  }
}

/** What no lock covers, as one place of the report. */
export const everythingElse: PlaceOfLock = { place: 'everything else', lock: '' };

/** Every role but the stranger's, at the samples. */
export async function checkRoles(
  tour: Tour,
  index: LeakIndex,
  samples: readonly Sample[],
  keys: Keys,
  from: string | undefined,
): Promise<void> {
  const asks = (lock: string) => samples.filter((sample) => sample.lock === lock);
  for (const guest of tour.guests) await checkGuest(tour, index, guest, samples);
  await checkLinks(tour, index, keys, asks);
  await checkCredentials(tour, index, keys, asks);
  await checkAddresses(tour, index, samples, from);
  await checkReaders(tour, index, samples);
  await checkWrongPasswords(tour, index, keys, samples);
}

async function checkGuest(
  tour: Tour,
  index: LeakIndex,
  guest: Guest,
  samples: readonly Sample[],
): Promise<void> {
  const { expectation } = tour;
  const reopened = guest.jar.reopened();
  for (const sample of samples) {
    const { target } = sample;
    const isOwn = sample.lock === guest.lock;
    const facts = await tour.look(`guest of ${guest.lock}${sample.isSection ? ', section' : ''}`, { target, ...asGuest(guest) }, sample.isSection ? undefined : 'whole'); // prettier-ignore
    note(tour, index, {
      role: isOwn ? 'guest' : 'other guests',
      sample,
      facts,
      expected: isOwn ? true : expects(tour, sample, guest.who),
      how: `asked by a guest of ${guest.lock || 'another lock'}`,
      wrongs: { leak: 'other-guest-gets-in', closed: isOwn ? 'guest-asked-again' : 'guest-kept-out' }, // prettier-ignore
    });
    // The browser's own prompt comes again, whatever the site does.
    if (!isOwn || guest.headers['authorization'] !== undefined) continue;
    const again = await tour.look(`guest of ${guest.lock} in a reopened browser`, { target, jar: reopened.copy() }); // prettier-ignore
    const who = expectation?.guestOf(guest.opened, true);
    note(tour, index, { role: 'returning', sample, facts: again, expected: expects(tour, sample, who), how: 'asked after the browser was closed and opened', wrongs: { leak: 'reopened-keeps-open', closed: 'returning-kept-out' } }); // prettier-ignore
  }
}

/** Whether somebody should get a sample: the page, or the section of it. */
export function expects(tour: Tour, sample: Sample, who: Who | undefined): boolean | undefined {
  if (!sample.isSection) return shouldGet(tour, sample.target, who);
  const lock = tour.expectation?.policy.locks.get(sample.lock);
  if (lock === undefined || who === undefined) return undefined;
  const isPageOpen = shouldGet(tour, sample.target, who) === true;
  return isPageOpen && [lock, ...lock.requires].every(({ name }) => who.passes.some(({ l }) => l === name)); // prettier-ignore
}

async function checkLinks(
  tour: Tour,
  index: LeakIndex,
  { links, deadLinks }: Keys,
  samplesOfLock: (lock: string) => readonly Sample[],
): Promise<void> {
  const play = async (lock: string, link: string, isRight: boolean, how: string) => {
    const jar = makeJar();
    await tour.asker.ask({ target: link, jar });
    for (const sample of samplesOfLock(lock)) {
      const as = `${how} ${digestOf(link)}`;
      const facts = await tour.look(as, { target: sample.target, jar: jar.copy() });
      note(tour, index, { role: 'entry link', sample, facts, expected: isRight, how: `asked after ${how}`, wrongs: { leak: 'forged-link-opens', closed: 'link-kept-out' } }); // prettier-ignore
    }
  };
  for (const { lock, target, label } of links) {
    await play(lock, target, true, `the entry link “${label}”`);
    // One letter of the signature is another.
    const forged = target.replace(/.$/, (letter) => (letter === 'A' ? 'B' : 'A'));
    await play(lock, forged, false, 'a forged entry link');
  }
  for (const { lock, target } of deadLinks) await play(lock, target, false, 'an ended entry link');
}

/** Tells keys of records apart without holding anything secret. */
const digestOf = (text: string) => createHash('sha256').update(text).digest('hex').slice(0, 12);

/** What programs send that are no browsers. */
const program = { accept: '*/*', 'sec-fetch-dest': '', 'sec-fetch-mode': '', 'sec-fetch-site': '' };

async function checkCredentials(
  tour: Tour,
  index: LeakIndex,
  { credentials }: Keys,
  samplesOfLock: (lock: string) => readonly Sample[],
): Promise<void> {
  for (const { lock, user, password } of credentials) {
    const tries = [
      { password, isRight: true, how: 'HTTP Basic' },
      { password: wrongPassword(), isRight: false, how: 'HTTP Basic with a wrong password' },
    ];
    for (const { password: typed, isRight, how } of tries) {
      // A wrong one is a guess that counts, so it is tried once.
      const samples = samplesOfLock(lock).filter(({ isSection }) => !isSection);
      for (const sample of isRight ? samples : samples.slice(0, 1)) {
        const { target } = sample;
        const answer = await tour.asker.ask({
          target,
          headers: { ...program, ...basicHeader(user, typed) },
        });
        const facts = factsOf(target, answer, tour.site);
        note(tour, index, { role: 'HTTP Basic', sample, facts, expected: isRight, how: `asked with ${how}`, wrongs: { leak: 'wrong-credentials-open', closed: 'credentials-kept-out' } }); // prettier-ignore
      }
    }
  }
}

/** The headers by which proxies hand on who asked (RFC 7239, and what was used before it). */
export const forwarded = (address: string): Record<string, string> => ({
  'x-forwarded-for': address,
  forwarded: `for="${address.includes(':') ? `[${address}]` : address}"`,
});

async function checkAddresses(
  tour: Tour,
  index: LeakIndex,
  samples: readonly Sample[],
  from: string | undefined,
): Promise<void> {
  const { expectation } = tour;
  if (expectation === undefined) return;
  const { policy } = expectation;
  // Where this machine is a proxy that the site believes, an address can be played.
  const isBelieved = from !== undefined || isLoopbackTrusted(tour);
  for (const { name, visitor } of visitorsByAddress(policy, tour.now, from)) {
    for (const sample of samples) {
      const { target } = sample;
      if (sample.isSection) continue;
      const headers = forwarded(visitor.address ?? '');
      const facts = await tour.look('address', { target, headers });
      const expected = isBelieved ? shouldGet(tour, target, { passes: [], visitor }) : false;
      const said = `asked from ${visitor.address ?? ''} (${name})`;
      note(tour, index, { role: 'address', sample, facts, expected, how: said, wrongs: { leak: 'forged-address-opens', closed: 'address-kept-out' } }); // prettier-ignore
    }
  }
}

/** Whether the site runs on this machine and believes proxies of this machine. */
export function isLoopbackTrusted({ expectation, asker }: Tour): boolean {
  const { hostname } = new URL(asker.origin);
  const isLoopback = /^(?:localhost|127\.\d+\.\d+\.\d+|\[::1\])$/.test(hostname);
  const ranges = expectation?.policy.site.trustedProxies ?? [];
  return isLoopback && ranges.some((range) => /^(?:127\.|::1|0\.0\.0\.0\/0|::\/0)/.test(range));
}

const readers = {
  'search engine': {
    code: 'search-engine-gets-in',
    headers: {
      'user-agent': 'Mozilla/5.0 (compatible; Googlebot/2.1; +http://www.google.com/bot.html)',
      referer: 'https://www.google.com/',
      from: 'googlebot(at)googlebot.com',
    },
  },
  'feed reader': {
    code: 'feed-reader-gets-in',
    headers: {
      ...program,
      'user-agent': 'Mozilla/5.0 (compatible; feed reader)',
      accept: 'application/atom+xml,application/rss+xml,application/feed+json;q=0.9,*/*;q=0.1',
    },
  },
} as const;

async function checkReaders(
  tour: Tour,
  index: LeakIndex,
  samples: readonly Sample[],
): Promise<void> {
  for (const role of ['search engine', 'feed reader'] as const) {
    const { code, headers } = readers[role];
    for (const sample of samples) {
      const facts = await tour.look(role, { target: sample.target, headers });
      note(tour, index, { role, sample, facts, expected: false, how: `asked as a ${role} does`, wrongs: { leak: code, closed: 'open-is-closed' } }); // prettier-ignore
    }
  }
}

const wrongPassword = () => `wrong-${randomBytes(6).toString('hex')}`;

/** One wrong password at each lock, and those that have ended. */
async function checkWrongPasswords(
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
      await tryWrong(tour, index, { ...door, samples: ofLock, typed, isEnded: ended.includes(typed) }); // prettier-ignore
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
  if (isSame && !isEnded) tour.findings.add('wrong-password-unsaid', door, { where: door.target, how: `the same page comes again, with ${answer.status}` }); // prettier-ignore
  const leak = isEnded ? 'ended-password-opens' : 'wrong-password-opens';
  const how = isEnded ? 'asked after a password that has ended' : 'asked after a wrong password';
  for (const sample of samples) {
    const { target } = sample;
    const again = factsOf(target, await tour.asker.ask({ target, jar }), tour.site);
    note(tour, index, { role: 'wrong password', sample, facts: again, expected: false, how, wrongs: { leak, closed: 'open-is-closed' } }); // prettier-ignore
  }
}

const sameText = (one: Facts, other: Facts) =>
  one.words.length === other.words.length && one.words.every((word, at) => word === other.words[at]); // prettier-ignore

/** Why a lock has no guest here; undefined where one can be made. */
export function whyNoGuest(tour: Tour, lockName: string, keys: Keys): string | undefined {
  const lock = tour.expectation?.policy.locks.get(lockName);
  if (lock === undefined) return undefined;
  if (lock.passwords.length === 0) return 'it has no password';
  const counting = lock.passwords.filter(({ window }) => isWithin(window, tour.now));
  if (counting.length === 0) return 'none of its passwords counts at present';
  return keys.passwords.has(lockName) ? undefined : 'its password is not known here';
}
