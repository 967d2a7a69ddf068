import { partsOf, quotable } from './evidence.js';
import type { PlaceOfLock } from './expectation.js';
import { bodyOf, textOf, type Facts } from './facts.js';
import type { PatrolCode } from './finding-table.js';
import type { LeakIndex, Run } from './leak-index.js';
import { isSamePicture } from './pictures.js';
import { isRefusal, placeOf, type Inside, type Tour } from './tour.js';

/** On a page, fewer words in a row may be a phrase that both happen to use. */
const leastOnPage = 10;
/** Smaller files are alike by accident: empty ones, a dot. */
const leastBytes = 64;
/** How many rare words a file must hold, and which part of all of the lock's, to give it away. */
const leastRare = 10;
const rarePart = 0.2;
/** In a list of words of a language, more are of no page than of one. */
const sitePart = 0.5;

/** Looks in everything that strangers get for what lies behind the locks. */
export async function findContentLeaks(tour: Tour, index: LeakIndex): Promise<void> {
  const strangers = [...tour.strangers.values()];
  const open = strangers.filter(
    (facts) => facts.seen === 'let in' && facts.status === 200 && !tour.insides.has(facts.target),
  );
  let done = 0;
  for (const facts of strangers) {
    tour.progress('for what leaks', ++done, strangers.length);
    const own = tour.insides.get(facts.target);
    const isDirect = own !== undefined && facts.seen === 'let in';
    const runs = isDirect ? [] : index.runsIn(facts.words);
    if (runs.length > 0) await tellOfRuns(tour, index, facts, runs);
  }
  await findRareWords(tour, index, open);
  await findNames(tour, open);
  await findCopies(tour, open);
  findBesides(tour, open);
}

/** Words in a row: names the part of the answer that they stand in. */
async function tellOfRuns(tour: Tour, index: LeakIndex, facts: Facts, coarse: readonly Run[]): Promise<void> {
  const { target } = facts;
  if (isRefusal(facts)) {
    for (const { inside } of coarse) {
      if (inside.target !== target) continue;
      const text = await textAt(tour, facts);
      const said = quotable(text?.text ?? '');
      const run = index.runsIn(said.words).find((one) => one.inside === inside);
      tour.findings.add('screen-holds-page', inside, {
        where: target,
        how: `answers ${facts.status}, with words of the page`,
        words: run && said.quote(run.at, run.length),
      });
    }
    return;
  }
  if (facts.seen !== 'let in') return;
  const found = await textAt(tour, facts);
  if (found === undefined) return;
  for (const { code, text } of partsOf(found.text, found.kind, target)) {
    const said = quotable(text);
    const isShown = code === 'words-on-open-page';
    const runs = index
      .runsIn(said.words)
      .filter(({ length, inside }) => !isShown || inside.isSection || length >= leastOnPage);
    for (const [key, those] of byPlace(runs)) {
      const [longest] = those;
      if (longest === undefined) continue;
      const { inside } = longest;
      const isOwnPage = inside.isSection && inside.target === target;
      tour.findings.add(isOwnPage ? 'section-open' : code, key, {
        where: isOwnPage ? inside.name : target,
        how: isOwnPage ? 'the element is in the page' : `holds words of ${names(those.map((run) => run.inside))}`,
        words: said.quote(longest.at, longest.length),
        isFile: found.kind !== 'page',
        about: those.map((run) => run.inside.name),
      });
    }
  }
}

function byPlace(runs: readonly Run[]): Map<PlaceOfLock, Run[]> {
  const places = new Map<string, [PlaceOfLock, Run[]]>();
  for (const run of runs) {
    const { place, lock } = run.inside;
    const entry = places.get(`${lock}\n${place}`) ?? [{ place, lock }, []];
    entry[1].push(run);
    places.set(`${lock}\n${place}`, entry);
  }
  return new Map(places.values());
}

/** `/a`, `/a and 3 more`. */
function names(insides: readonly Inside[]): string {
  const [first, ...more] = insides.map(({ name }) => name);
  return `${first ?? ''}${more.length > 0 ? ` and ${more.length} more` : ''}`;
}

/** The text of an answer, asked for again: it was not kept. */
async function textAt(tour: Tour, { target, headers }: Facts) {
  const answer = await tour.asker.ask({ target });
  const found = bodyOf(target, answer);
  if (found.kind === 'picture' || found.kind === 'file') return undefined;
  const type = answer.headers['content-type'] ?? headers['content-type'] ?? '';
  return { text: textOf(found.body, type), kind: found.kind };
}

/** Indexes that hold single words, and where these are, instead of texts. */
async function findRareWords(tour: Tour, index: LeakIndex, open: readonly Facts[]): Promise<void> {
  const onPages = new Set<number>();
  for (const facts of tour.strangers.values()) {
    const isPage = facts.kind === 'page' && (facts.seen === 'let in' || isRefusal(facts));
    if (isPage && !tour.insides.has(facts.target)) for (const word of facts.words) onPages.add(word);
  }
  const rare = index.rareWords(onPages);
  for (const facts of open) {
    if (facts.kind !== 'data' && facts.kind !== 'script') continue;
    const held = new Set(facts.words);
    for (const [lock, words] of rare) {
      const common = [...words].filter((word) => held.has(word));
      if (common.length < Math.max(leastRare, words.size * rarePart)) continue;
      const known = [...held].filter((word) => onPages.has(word)).length + common.length;
      if (known < held.size * sitePart) continue;
      const of = [...tour.insides.values()].filter((inside) => inside.lock === lock);
      const [first] = of;
      const isFound = tour.findings
        .list()
        .some((one) => one.lock === lock && one.cases.some(({ where }) => where === facts.target));
      if (first === undefined || isFound) continue;
      const found = await textAt(tour, facts);
      const [part] = found === undefined ? [] : partsOf(found.text, found.kind, facts.target);
      if (part === undefined) continue;
      // Words without their order are an index, whatever it is called.
      const isIndex = part.code === 'words-in-script' || part.code === 'words-in-data-file';
      tour.findings.add(isIndex ? 'words-in-search-index' : part.code, first, {
        where: facts.target,
        how: `holds ${common.length} of the ${words.size} words that only locked pages say`,
        words: wordsAmong(part.text, new Set(common)).join(', '),
        isFile: true,
        about: of.map(({ name }) => name),
      });
    }
  }
}

/** Some of the words with these hashes, longer ones first, as they are easier to recognize. */
function wordsAmong(text: string, hashes: ReadonlySet<number>): string[] {
  const { words, quote } = quotable(text);
  const found = new Set<string>();
  words.forEach((word, at) => {
    if (found.size < 400 && hashes.has(word)) found.add(quote(at, 1));
  });
  return [...found].sort((one, other) => other.length - one.length).slice(0, 8);
}

/** Sitemaps, feeds and robots.txt that name locked addresses, and whatever names hidden ones. */
async function findNames(tour: Tour, open: readonly Facts[]): Promise<void> {
  const locks = tour.expectation?.policy.locks;
  for (const facts of open) {
    const closed = facts.addresses.flatMap((address) => {
      const of = address === '/' ? undefined : placeOf(tour, address);
      return of === undefined ? [] : [{ address, of }];
    });
    if (closed.length === 0) continue;
    const byLock = new Map<string, { of: PlaceOfLock; addresses: string[] }>();
    for (const { address, of } of closed) {
      const entry = byLock.get(`${of.lock}\n${of.place}`) ?? { of, addresses: [] };
      entry.addresses.push(address);
      byLock.set(`${of.lock}\n${of.place}`, entry);
    }
    const isSitemap = facts.kind === 'listing' && (await isSitemapAt(tour, facts));
    for (const { of, addresses } of byLock.values()) {
      const lock = locks?.get(of.lock);
      const isHidden = lock?.outsiders === 'not-found';
      const code: PatrolCode | undefined = isHidden
        ? 'hidden-is-named'
        : facts.kind === 'robots'
          ? 'robots-names-locked'
          : facts.kind === 'listing'
            ? isSitemap
              ? 'sitemap-names-locked'
              : 'feed-names-locked'
            : undefined;
      if (code === undefined) continue;
      const [first = '', ...more] = addresses;
      const rest = more.length > 0 ? ` and ${more.length} more` : '';
      tour.findings.add(code, of, { where: facts.target, how: `names ${first}${rest}`, about: addresses });
    }
  }
}

async function isSitemapAt(tour: Tour, facts: Facts): Promise<boolean> {
  const found = await textAt(tour, facts);
  return found !== undefined && /<(?:[\w.-]+:)?(?:urlset|sitemapindex)[\s>]/.test(found.text);
}

/** Locked files and pictures that lie at open addresses as well. */
async function findCopies(tour: Tour, open: readonly Facts[]): Promise<void> {
  const inside = [...tour.insides.values()].filter(({ isSection }) => !isSection);
  const byDigest = new Map(inside.map((one) => [one.facts.digest, one]));
  const pictures = inside.filter(({ facts }) => facts.picture !== undefined);
  for (const facts of open) {
    const same = facts.bytes < leastBytes ? undefined : byDigest.get(facts.digest);
    if (same !== undefined) {
      tour.findings.add('file-copy-open', same, {
        where: facts.target,
        how: `is ${same.name}, byte for byte`,
        about: [same.name],
      });
      continue;
    }
    if (pictures.length === 0 || facts.kind !== 'picture') continue;
    const { target } = facts;
    const { picture } = await tour.look('stranger, for the picture', { target }, 'whole');
    if (picture === undefined) continue;
    const alike = pictures.find((one) => isSamePicture(one.facts.picture ?? '', picture));
    if (alike === undefined) continue;
    tour.findings.add('picture-copy-open', alike, {
      where: facts.target,
      how: `shows the picture ${alike.name}`,
      about: [alike.name],
    });
  }
}

/** What pages are made to look and work with, and is the same for all of them. */
const isLooks = ({ target, kind }: Facts) =>
  kind === 'style' ||
  kind === 'script' ||
  /\.(?:css|m?js|map|woff2?|ttf|otf|eot|ico|webmanifest)(?:\?|$)/i.test(target);

/** What is open, though only locked pages lead to it. */
function findBesides(tour: Tour, open: readonly Facts[]): void {
  const led = new Set<string>();
  for (const facts of open) {
    if (facts.kind === 'listing' || facts.kind === 'robots') continue;
    for (const address of facts.addresses) led.add(address);
  }
  const shown = new Map<string, Inside>();
  for (const inside of tour.insides.values()) {
    for (const address of inside.facts.addresses) {
      if (!shown.has(address)) shown.set(address, inside);
    }
  }
  for (const facts of open) {
    const by = shown.get(facts.target);
    if (by === undefined || led.has(facts.target) || facts.bytes < leastBytes || isLooks(facts)) continue;
    if (placeOf(tour, facts.target) !== undefined) continue;
    const one = { where: facts.target, how: `is shown by ${by.name} alone`, about: [by.name] };
    if (facts.kind !== 'page') tour.findings.add('file-beside-open', by, one);
    else if (tour.expectation === undefined && facts.target.startsWith(by.place)) {
      tour.findings.add('child-open', by, { ...one, how: 'is open, though what lies above it is not' });
    } else if (tour.expectation?.isLeftOut(facts.target) !== true && facts.target !== '/') {
      tour.findings.add('page-beside-open', by, { ...one, how: `only ${by.name} leads to it` });
    }
  }
}
