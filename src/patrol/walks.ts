import type { Lock } from '../core/policy/types.js';
import type { PlaceOfLock } from './expectation.js';
import type { Facts } from './facts.js';
import { asGuest, type Guest } from './guests.js';
import { closedTargets, isRefusal, placeOf, shouldGet, type Inside, type Tour } from './tour.js';
import { makeFrontier, walk, type WalkLimits } from './walk.js';

/** Files that sites often have and that nothing may lead to. */
const likely = (
  '/robots.txt /sitemap.xml /sitemap_index.xml /feed.xml /rss.xml /atom.xml /index.xml /feed.json ' +
  '/search.json /search-index.json /search_index.json /searchindex.js /search/search_index.json ' +
  '/index.json /manifest.json /site.webmanifest /llms.txt /llms-full.txt /feed/ /404'
).split(' ');

/** Puts everything on the list that is known before the first look. */
export function beginWalk(tour: Tour, start: string, more: readonly string[]): void {
  const { frontier, expectation } = tour;
  for (const target of [start, '/']) frontier.add(target);
  if (expectation !== undefined) {
    const { site, locks } = expectation.policy;
    for (const listing of [...site.sitemaps, ...site.feeds]) frontier.add(listing);
    for (const { covers, except } of locks.values()) {
      for (const place of [...covers, ...except]) {
        if (place.kind === 'page' || place.kind === 'folder') frontier.add(encodeURI(place.text));
        if (place.kind === 'section') frontier.add(encodeURI(place.text.replace(/#.*$/s, '')));
      }
    }
  }
  for (const target of [...more, ...likely]) frontier.add(target);
}

/**
 * How many addresses are under way at a moment: while so many are asked for, which connections
 * limit, others are read.
 */
const underWay = ({ atOnce }: WalkLimits) => atOnce * 4;

/** What a walk as a stranger needs of a tour. */
export type StrangerWalk = Pick<Tour, 'frontier' | 'look' | 'strangers' | 'notFound' | 'limits' | 'progress'>;

/** Walks as a stranger over all that is on the list and what that leads to. */
export async function walkAsStranger(tour: StrangerWalk): Promise<void> {
  const { frontier, look, strangers } = tour;
  await walk(frontier, underWay(tour.limits), async (target) => {
    const facts = asNotFound(tour, await look('stranger', { target }));
    strangers.set(target, facts);
    // Of what is missing, its menus are those of other pages, and its own address nobody's.
    if (facts.seen !== 'not found') for (const address of facts.addresses) frontier.add(address);
    // Source maps lie beside scripts, whether these say so or not.
    const path = target.split('?', 1)[0] ?? '';
    const isCode = facts.kind === 'script' || facts.kind === 'style';
    if (isCode && facts.seen === 'let in' && facts.status === 200) frontier.add(`${path}.map`);
    tour.progress('as a stranger', frontier.done, frontier.done + frontier.waiting);
  });
}

/** Some sites say with 200 that there is nothing. */
function asNotFound({ notFound }: Pick<Tour, 'notFound'>, facts: Facts): Facts {
  if (notFound?.status !== 200 || facts.status !== 200) return facts;
  const isSame =
    notFound.digest === facts.digest || (facts.words.length > 0 && isSameText(notFound.words, facts.words));
  return isSame ? { ...facts, seen: 'not found' } : facts;
}

const isSameText = (one: Uint32Array, other: Uint32Array) =>
  one.length === other.length && one.every((word, at) => word === other[at]);

/** Walks as a guest over all that is closed to strangers and open to that guest. */
export async function walkAsGuest(tour: Tour, guest: Guest): Promise<void> {
  const isMeant = (target: string) => !tour.insides.has(target) && shouldGet(tour, target, guest.who) !== false;
  const frontier = makeFrontier(tour.limits, isMeant);
  for (const { target } of closedTargets(tour)) frontier.add(target);
  await walk(frontier, underWay(tour.limits), async (target) => {
    const of = placeOf(tour, target);
    if (of === undefined) return;
    const facts = await tour.look(`guest of ${guest.lock}`, { target, ...asGuest(guest) }, 'whole');
    if (facts.location !== undefined) tour.frontier.add(facts.location);
    if (isRefusal(facts) && shouldGet(tour, target, guest.who) === true) {
      tour.findings.add('guest-asked-again', of, {
        where: target,
        how: `asked by a guest of ${guest.lock}: ${facts.status}`,
      });
      tour.checks.push({ role: 'guest', target, ...of, seen: facts.seen, verdict: 'closed' });
    }
    if (facts.seen !== 'let in' || facts.status !== 200) return;
    addInside(tour, { ...of, target, facts, name: target, isSection: false });
    for (const address of facts.addresses) {
      tour.frontier.add(address);
      // Without a policy, whether it is closed is only known once a stranger has been there.
      if (tour.expectation?.placeOf(address) !== undefined) frontier.add(address);
    }
    tour.progress(`as a guest of ${guest.lock || 'the site'}`, frontier.done, frontier.done + frontier.waiting);
  });
  tour.left.set(guest.lock, frontier.left);
}

/** What stands in the sections of pages, as the guests of their locks see it. */
export async function readSections(tour: Tour, guest: Guest): Promise<void> {
  const { expectation } = tour;
  const locks = expectation?.policy.locks;
  const lock = locks?.get(guest.lock);
  for (const facts of [...tour.strangers.values()]) {
    if (facts.kind !== 'page') continue;
    const named = (expectation?.sectionsOf(facts.target) ?? []).filter((one) => one.lock === lock);
    const isMarked = facts.forms.some((form) => form.isForSection && form.lock === guest.lock);
    if (named.length === 0 && !isMarked) continue;
    const { target } = facts;
    const place = named[0]?.place ?? `${target}#${guest.lock}`;
    if (tour.insides.has(place)) continue;
    const telling = { ids: named.map(({ id }) => id), mark: guest.lock };
    const inside = await tour.look(`guest of ${guest.lock}, section`, { target, ...asGuest(guest) }, telling);
    const isStillShut = inside.forms.some((form) => form.isForSection && form.lock === guest.lock);
    if (inside.seen !== 'let in' || isStillShut) continue;
    const of = { place, lock: guest.lock };
    addInside(tour, { ...of, target, facts: inside, name: place, isSection: true });
  }
}

export function addInside(tour: Tour, inside: Omit<Inside, 'telling'>): void {
  const { facts } = inside;
  // Of data, all words are its own; listings name pages, and code is much alike.
  const isData = facts.kind === 'data' || facts.kind === 'text';
  const ofPage = facts.telling ?? facts.words;
  const telling = facts.kind === 'page' ? ofPage : isData ? facts.words : new Uint32Array();
  tour.insides.set(inside.name, { ...inside, telling });
}

/** Addresses of a lock's places at which its password can be typed, the front ones first. */
export function doorsOf(tour: Tour, lock: Lock): string[] {
  const own = lock.covers.flatMap((place) =>
    place.kind === 'page' || place.kind === 'folder' ? [encodeURI(place.text)] : [],
  );
  const isOfLock = ({ lock: name }: PlaceOfLock) => name === lock.name;
  const found = closedTargets(tour)
    .filter(({ of }) => isOfLock(of))
    .map(({ target }) => target);
  const all = [...new Set([...own, ...found])];
  const hasForm = (target: string) => tour.strangers.get(target)?.forms.some((form) => !form.isForSection) === true;
  return all.filter(hasForm);
}
