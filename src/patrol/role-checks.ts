import { createHash } from 'node:crypto';
import { checkAddresses } from './address-role.js';
import { nobody } from './expectation.js';
import { factsOf } from './facts.js';
import { asGuest, basicHeader, type Guest, type Keys } from './guests.js';
import { makeJar } from './jar.js';
import type { LeakIndex } from './leak-index.js';
import { everythingElse, note } from './note.js';
import { expects, type Sample } from './samples.js';
import { isRefusal, placeOf, type Tour } from './tour.js';
import { checkWrongPasswords, wrongPassword } from './wrong-passwords.js';

/** Strangers at everything that was found. */
export function checkStrangers(tour: Tour, index: LeakIndex, all: readonly Sample[]): void {
  const { expectation, strangers } = tour;
  for (const sample of all) {
    const facts = strangers.get(sample.target);
    if (facts === undefined) continue;
    const isFront = encodeURI(sample.place).replace(/\/$/, '') === sample.target.replace(/\/$/, '');
    const isKept = Number(facts.headers['age'] ?? 0) > 0 || /hit/i.test(facts.headers['x-cache'] ?? '');
    const leak = isRefusal(facts)
      ? 'screen-holds-page'
      : isKept
        ? 'cached-copy-open'
        : sample.isSection
          ? 'section-open'
          : isFront || !sample.place.endsWith('/')
            ? 'open-to-strangers'
            : 'child-open';
    const isQuoted = sample.isSection || (isRefusal(facts) && facts.kind === 'page');
    note(tour, index, {
      role: 'stranger',
      sample,
      facts,
      expected: false,
      how: 'asked by a stranger',
      wrongs: { leak, closed: 'open-is-closed' },
      isQuoted,
    });
  }
  if (expectation === undefined) return;
  for (const facts of strangers.values()) {
    const { target, seen } = facts;
    if (expectation.placeOf(target) !== undefined || target.startsWith(`${expectation.policy.site.prefix}/`)) continue;
    if (expectation.isOpen(target, nobody) !== true) continue;
    if (seen === 'not found') continue;
    const verdict = isRefusal(facts) ? 'closed' : 'right';
    tour.checks.push({ role: 'stranger', target, ...everythingElse, seen, verdict });
    if (verdict === 'closed')
      tour.findings.add('open-is-closed', everythingElse, { where: target, how: `answers ${facts.status}` });
  }
}

/** What open pages need to look as they should, and strangers did not get. */
export function checkNeeds(tour: Tour): void {
  const users = new Map<string, number>();
  for (const { seen, needs = [] } of tour.strangers.values()) {
    if (seen !== 'let in') continue;
    for (const need of new Set(needs)) users.set(need, (users.get(need) ?? 0) + 1);
  }
  for (const [target, pages] of users) {
    const facts = tour.strangers.get(target);
    if (facts === undefined || !isRefusal(facts)) continue;
    const of = placeOf(tour, target) ?? everythingElse;
    const how = `needed by ${pages === 1 ? 'an open page' : `${pages.toLocaleString('en')} open pages`}`;
    tour.findings.add('open-needs-locked', of, { where: target, how });
  }
}

/**
 * Sections that nobody could open here, so that there is nothing to compare: whatever stands in
 * their element, and was not put there in its place, is taken for what is locked.
 */
export async function checkUnopenedSections(tour: Tour): Promise<void> {
  for (const { target, seen, forms } of [...tour.strangers.values()]) {
    const locked = seen === 'let in' ? (tour.expectation?.sectionsOf(target) ?? []) : [];
    for (const { lock, id, place } of locked) {
      if (tour.insides.has(place) || forms.some((form) => form.lock === lock.name)) continue;
      const telling = { ids: [id], mark: lock.name };
      const facts = await tour.look(`stranger, section ${id}`, { target }, telling);
      const isOpen = facts.telling?.some((word) => word !== 0) === true;
      const of = { place, lock: lock.name };
      tour.checks.push({
        role: 'stranger',
        target,
        ...of,
        seen: isOpen ? 'let in' : 'screen',
        verdict: isOpen ? 'leak' : 'right',
      });
      if (isOpen) tour.findings.add('section-open', of, { where: place, how: 'the element is in the page' });
    }
  }
}

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

async function checkGuest(tour: Tour, index: LeakIndex, guest: Guest, samples: readonly Sample[]): Promise<void> {
  const { expectation } = tour;
  const reopened = guest.jar.reopened();
  for (const sample of samples) {
    const { target } = sample;
    const isOwn = sample.lock === guest.lock;
    const facts = await tour.look(
      `guest of ${guest.lock}${sample.isSection ? ', section' : ''}`,
      { target, ...asGuest(guest) },
      sample.isSection ? undefined : 'whole',
    );
    note(tour, index, {
      role: isOwn ? 'guest' : 'other guests',
      sample,
      facts,
      expected: isOwn ? true : expects(tour, sample, guest.who),
      how: `asked by a guest of ${guest.lock || 'another lock'}`,
      wrongs: { leak: 'other-guest-gets-in', closed: isOwn ? 'guest-asked-again' : 'guest-kept-out' },
    });
    // The browser's own prompt comes again, whatever the site does.
    if (!isOwn || guest.headers['authorization'] !== undefined) continue;
    const again = await tour.look(`guest of ${guest.lock} in a reopened browser`, { target, jar: reopened.copy() });
    const who = expectation?.guestOf(guest.opened, true);
    note(tour, index, {
      role: 'returning',
      sample,
      facts: again,
      expected: expects(tour, sample, who),
      how: 'asked after the browser was closed and opened',
      wrongs: { leak: 'reopened-keeps-open', closed: 'returning-kept-out' },
    });
  }
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
      note(tour, index, {
        role: 'entry link',
        sample,
        facts,
        expected: isRight,
        how: `asked after ${how}`,
        wrongs: { leak: 'forged-link-opens', closed: 'link-kept-out' },
      });
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
        note(tour, index, {
          role: 'HTTP Basic',
          sample,
          facts,
          expected: isRight,
          how: `asked with ${how}`,
          wrongs: { leak: 'wrong-credentials-open', closed: 'credentials-kept-out' },
        });
      }
    }
  }
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

async function checkReaders(tour: Tour, index: LeakIndex, samples: readonly Sample[]): Promise<void> {
  for (const role of ['search engine', 'feed reader'] as const) {
    const { code, headers } = readers[role];
    for (const sample of samples) {
      const facts = await tour.look(role, { target: sample.target, headers });
      note(tour, index, {
        role,
        sample,
        facts,
        expected: false,
        how: `asked as a ${role} does`,
        wrongs: { leak: code, closed: 'open-is-closed' },
      });
    }
  }
}
