import { lettersOf } from '../core/letters.js';
import { marksIn, mayBeMarked, plainLetters } from '../core/sections/marks.js';
import { isWithin } from '../core/windows/window.js';
import { countsAt } from '../core/policy/lock-state.js';
import type { Policy } from '../core/policy/types.js';
import { DorlinError } from '../core/errors.js';
import { makeAsker } from './asker.js';
import { findContentLeaks } from './content-leaks.js';
import { expectationOf, nobody, type PlaceOfLock } from './expectation.js';
import { gatherFindings, type PatrolFinding } from './finding.js';
import type { Keys } from './guests.js';
import { makeLeakIndex, type LeakIndex } from './leak-index.js';
import { makeLook } from './look.js';
import { probe, probeGuests } from './probes.js';
import { canReadPictures } from './pictures.js';
import { makeReader } from './reader.js';
import { readAnswer } from './reading.js';
import type { PatrolRecord } from './record.js';
import { checkNeeds, checkRoles, checkStrangers, checkUnopenedSections } from './role-checks.js';
import { isLoopbackTrusted } from './address-role.js';
import { findGuests } from './find-guests.js';
import { samplesOf, type Sample } from './samples.js';
import { rowsOf, type Row } from './rows.js';
import { isAction, siteAddresses, siteAt } from './site-addresses.js';
import { closedTargets, isRefusal, madeUp, placeOf, type NotPlayed, type Tour } from './tour.js';
import { makeFrontier, type WalkLimits } from './walk.js';
import { addInside, beginWalk, readSections, walkAsGuest, walkAsStranger } from './walks.js';

/** A file of the site at hand, for what lies behind locks that nobody can open here. */
export interface KnownFile {
  readonly target: string;
  readonly type: string;
  readonly read: () => Promise<Buffer>;
}

export interface PatrolOptions {
  /** Where to begin: the site's address, or a page of it. */
  readonly url: string;
  /** What should be; without it, what is found open and closed is told. */
  readonly policy: Policy | undefined;
  readonly keys: Keys;
  readonly files: readonly KnownFile[];
  /** Whether sections that no guest can be shown are read from the files, to be found elsewhere. @default no */
  readonly readsSections?: boolean | undefined;
  /** An address to play, where this machine is a proxy that the site believes. */
  readonly from: string | undefined;
  readonly limits: WalkLimits;
  /** Between the starts of two requests, in milliseconds; undefined: what robots.txt wants. */
  readonly pause: number | undefined;
  /** Codes of findings that are meant to be as they are. */
  readonly skip: readonly string[];
  readonly record: PatrolRecord;
  /** What tells the site's journal that this is a patrol, where its secret is at hand. */
  readonly mark?: string | undefined;
  /** In seconds since 1970. */
  readonly now: number;
  readonly onProgress: (phase: string, done: number, all: number) => void;
}

export interface PatrolResult {
  readonly origin: string;
  readonly site: string | undefined;
  /** In seconds since 1970. */
  readonly startedAt: number;
  readonly seconds: number;
  /** Addresses that a stranger asked for, and those that were known and not asked for. */
  readonly addresses: number;
  readonly left: number;
  /** Ways around the locks for which there was no time. */
  readonly untried: number;
  readonly requests: number;
  readonly bytes: number;
  /** The first walk as a stranger: how many addresses were asked for, and how long that took. */
  readonly walk: { readonly addresses: number; readonly seconds: number };
  /** Every address that a stranger asked for. */
  readonly walked: readonly string[];
  readonly rows: readonly Row[];
  readonly findings: readonly PatrolFinding[];
  readonly notPlayed: readonly NotPlayed[];
}

/**
 * Walks a live site as strangers and as guests, and tells what leaks and who is kept out.
 *
 * @throws DorlinError `origin-invalid`, `site-unreachable`
 */
export async function patrol(options: PatrolOptions): Promise<PatrolResult> {
  const { url, policy, limits, record, now } = options;
  const start = Date.now();
  const { origin, pathname, search } = siteAt(url);
  const asker = makeAsker(origin, limits.atOnce, undefined, options.mark);
  const aliases = policy?.site.origin === undefined ? [] : [policy.site.origin];
  const site = siteAddresses(origin, aliases);
  const reader = makeReader(site, { origin, aliases });
  const prefix = policy?.site.prefix ?? '/_dorlin';
  const isMeant = (target: string) => !isAction(target) && !target.startsWith(`${prefix}/`);
  const tour: Tour = {
    asker,
    site,
    look: makeLook(asker, reader, record),
    expectation: policy === undefined ? undefined : expectationOf(policy, now),
    findings: gatherFindings(options.skip),
    checks: [],
    notPlayed: [],
    limits,
    strangers: new Map(),
    insides: new Map(),
    guests: [],
    frontier: makeFrontier(limits, isMeant),
    notFound: undefined,
    left: new Map(),
    untried: 0,
    now,
    progress: options.onProgress,
  };
  try {
    const { status, problem = 'for no reason that it tells' } = await asker.ask({
      target: pathname,
    });
    if (status === 0) {
      throw new DorlinError('site-unreachable', `${origin} does not answer: ${problem}.`);
    }
    tour.notFound = await tour.look('made up', { target: madeUp });
    asker.setPause(options.pause ?? (policy === undefined ? await pauseOfRobots(tour) : 0));
    beginWalk(
      tour,
      pathname + search,
      options.files.map(({ target }) => target),
    );
    const walkStart = Date.now();
    await walkAsStranger(tour);
    const walk = { addresses: tour.strangers.size, seconds: (Date.now() - walkStart) / 1000 };
    await findGuests(tour, options.keys);
    await walkOn(tour);
    await readFiles(tour, options.files, options.readsSections === true);
    const index = indexOf(tour);
    const closed = closedTargets(tour);
    const samples = samplesOf(tour, closed);
    const all = closed.map(({ target, of }): Sample => ({ ...of, target, name: target, isSection: false }));
    checkStrangers(tour, index, [...all, ...samples.filter(({ isSection }) => isSection)]);
    checkNeeds(tour);
    await checkUnopenedSections(tour);
    noteLocks(tour, options);
    if (!(await canReadPictures())) tour.notPlayed.push(withoutPictures);
    await checkRoles(tour, index, samples, options.keys, options.from);
    await probe(tour, index, samples);
    await probeGuests(tour, index, samples);
    await findContentLeaks(tour, index);
    // What guests did not get to was not compared either.
    const left = [...tour.left.values()].reduce((sum, one) => sum + one, tour.frontier.left);
    await (left + tour.untried === 0 ? record.end() : record.flush());
    return {
      origin,
      site: policy?.site.name,
      startedAt: start / 1000,
      seconds: (Date.now() - start) / 1000,
      addresses: tour.strangers.size,
      left,
      untried: tour.untried,
      requests: asker.spent.requests,
      bytes: asker.spent.bytes,
      walk,
      walked: [...tour.strangers.keys()],
      rows: rowsOf(tour, samples),
      findings: tour.findings.list(),
      notPlayed: tour.notPlayed,
    };
  } finally {
    asker.close();
    await reader.close();
    await record.flush();
  }
}

const withoutPictures: NotPlayed = {
  role: 'pictures',
  lock: '',
  why: 'what compares those that were made smaller or otherwise is not installed: `npm install sharp`',
};

/** The pause that robots.txt asks every visitor for, in milliseconds, ten seconds at most. */
async function pauseOfRobots(tour: Tour): Promise<number> {
  const answer = await tour.asker.ask({ target: '/robots.txt' });
  if (answer.status !== 200) return 0;
  const ofAll =
    /^\s*user-agent\s*:\s*\*\s*$([^]*?)(?=^\s*user-agent|(?![^]))/im.exec(answer.body.toString('utf8'))?.[1] ?? '';
  const seconds = Number(/^\s*crawl-delay\s*:\s*([\d.]+)/im.exec(ofAll)?.[1] ?? 0);
  return Math.min(seconds, 10) * 1000;
}

/** Walks on as guests and, over what these find, as a stranger, until nothing new comes up. */
async function walkOn(tour: Tour): Promise<void> {
  for (;;) {
    const before = tour.insides.size + tour.strangers.size;
    for (const guest of tour.guests) {
      await walkAsGuest(tour, guest);
      await readSections(tour, guest);
    }
    await walkAsStranger(tour);
    if (tour.insides.size + tour.strangers.size === before) return;
  }
}

/** What lies behind locks that nobody could open here, from the site's own files. */
async function readFiles(tour: Tour, files: readonly KnownFile[], readsSections: boolean): Promise<void> {
  for (const { target, type, read } of files) {
    if (type === 'text/html' && readsSections) await readFileSections(tour, target, await read());
    const of = placeOf(tour, target);
    if (of === undefined || tour.insides.has(target)) continue;
    if (tour.guests.some(({ lock }) => lock === of.lock)) continue;
    const answer = { status: 200, headers: { 'content-type': type }, body: await read() };
    const facts = await readAnswer(target, answer, tour.site, 'whole');
    addInside(tour, { ...of, target, facts, name: target, isSection: false });
  }
}

/** What is in the locked sections of a page, by its file, if no guest of their locks was there to read them. */
async function readFileSections(tour: Tour, target: string, body: Buffer): Promise<void> {
  const { expectation, guests } = tour;
  const named = expectation?.sectionsOf(target) ?? [];
  const marks = mayBeMarked(body) ? marksIn(plainLetters(lettersOf(body))) : [];
  for (const lock of new Set([...named.map((one) => one.lock.name), ...marks])) {
    const ids = named.filter((one) => one.lock.name === lock);
    const place = ids[0]?.place ?? `${target}#${lock}`;
    const isOpen = expectation?.isSectionOpen(target, { place, lock }, nobody) === true;
    if (isOpen || tour.insides.has(place) || guests.some((guest) => guest.lock === lock)) continue;
    const answer = { status: 200, headers: { 'content-type': 'text/html' }, body };
    const telling = { ids: ids.map(({ id }) => id), mark: lock };
    const facts = await readAnswer(target, answer, tour.site, telling);
    addInside(tour, { place, lock, target, facts, name: place, isSection: true, isFromFile: true });
  }
}

function indexOf(tour: Tour): LeakIndex {
  const index = makeLeakIndex([...tour.insides.values()]);
  const { notFound } = tour;
  if (notFound !== undefined && !isRefusal(notFound)) index.leaveOut(notFound.words);
  for (const facts of tour.strangers.values()) {
    if (isRefusal(facts)) index.noteScreen(facts.words);
    else if (facts.kind === 'page' && facts.seen === 'let in' && !tour.insides.has(facts.target))
      index.notePage(facts.words);
  }
  index.settle();
  return index;
}

/** What the policy has that cannot be seen from outside: locks that do not count, roles not played. */
function noteLocks(tour: Tour, { keys, from }: PatrolOptions): void {
  const policy = tour.expectation?.policy;
  for (const lock of policy?.locks.values() ?? []) {
    const of: PlaceOfLock = { place: lock.covers[0]?.text ?? '', lock: lock.name };
    if (!countsAt(lock, tour.now)) {
      const how = lock.enabled ? 'its time is not now' : 'it is switched off';
      tour.findings.add('lock-does-not-count', of, { where: of.place, how });
      continue;
    }
    const links = lock.links.filter(({ window }) => isWithin(window, tour.now));
    if (links.length > 0 && !keys.links.some((link) => link.lock === lock.name)) {
      const why = links.every(({ uses }) => uses !== undefined)
        ? 'its links have few uses, and none is used up here'
        : 'the secret that signs links is not known here';
      tour.notPlayed.push({ role: 'entry link', lock: lock.name, why });
    }
    const isBasic = lock.basic !== false;
    if (isBasic && !keys.credentials.some((one) => one.lock === lock.name)) {
      tour.notPlayed.push({ role: 'HTTP Basic', lock: lock.name, why: 'its password is not known here' });
    }
  }
  const hasAddresses = [...(policy?.bypasses.values() ?? [])].some(({ addresses }) => addresses !== undefined);
  if (hasAddresses && from === undefined && !isLoopbackTrusted(tour)) {
    tour.notPlayed.push({
      role: 'address',
      lock: '',
      why: 'the site believes no address that this machine says: run it on a trusted proxy, with --from',
    });
  }
}
