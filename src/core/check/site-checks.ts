import { mayBeListing, readListing } from '../crawlers/listing.js';
import type { Policy } from '../policy/types.js';
import { sectionsAt } from '../decide-section.js';
import { accessOfStranger } from '../access.js';
import { markAttribute } from '../sections/tree.js';
import { shutWords } from '../sections/uncut-words.js';
import { filesOf } from '../screen/design/files.js';
import { readCutting } from './page-cutting.js';
import { lockedSections } from './locked-sections.js';
import { neededLocked } from './needed-locked.js';
import { readPageFacts, wordsIn, type PageFacts } from './page-facts.js';
import type { Finding } from './table.js';

/** A file of a site, as far as it is looked into. */
export interface SiteFile {
  /** Its path, such as `/press/index.html`. */
  readonly path: string;
  /** As a request target. */
  readonly target: string;
  /** Its text, where it is one that can hold words: a page, data, a script. */
  readonly text?: string | undefined;
}

/** How many words in a row are no accident. */
const rowLength = 7;

const isPage = (path: string) => /\.x?html?$/i.test(path);
const isStyle = (path: string) => /\.css$/i.test(path);
/** What a page is made to look and work with, and is the same for all of them. */
const isLooks = (path: string) => /\.(?:css|m?js|map|woff2?|ttf|otf|eot|ico|webmanifest)$/i.test(path);

/** What can be seen from a site's files under its policy. */
export function checkSite(policy: Policy, files: readonly SiteFile[], now: number): Finding[] {
  const isOpen = (target: string) => accessOfStranger(policy, target, now).open;
  const open = new Map(files.map(({ target }) => [target, isOpen(target)]));
  const numberOf = wordNumbers();
  const htmlFiles = files.flatMap(({ path, target, text }) => {
    if (!isPage(path) || text === undefined) return [];
    const isOpenPage = open.get(target) === true;
    const parts = isOpenPage ? lockedSections(policy, target, text, now) : undefined;
    return [{ path, target, isOpen: isOpenPage, text, parts }];
  });
  // The files that send the data of those pages are locked with their marked sections.
  const cutPages = new Set(
    htmlFiles.flatMap(({ target, parts }) => {
      const read = policy.read(target);
      return parts !== undefined && read.ok ? read.readings : [];
    }),
  );
  for (const { target } of cutPages.size === 0 ? [] : files) {
    const read = policy.read(target);
    const isData = read.ok && (read.companions ?? []).some(({ reading, isWhole }) => isWhole && cutPages.has(reading));
    if (isData) open.set(target, false);
  }
  const isShut = htmlFiles.some((one) => !one.isOpen || one.parts !== undefined);
  const checked = ({ path, target }: { path: string; target: string }, text: string, isOpenPage: boolean) => {
    const { words, ...facts } = readPageFacts(text, `http://site.invalid${target}`);
    // Not the words: those of a thousand pages are more than a small machine has room for.
    const rows = isShut ? rowsOf(numberOf, words) : new Float64Array();
    return { path, target, isOpen: isOpenPage, facts, rows };
  };
  /** Of an open page, without its locked sections. */
  const pages = htmlFiles.map((one): CheckedPage => checked(one, one.parts?.open ?? one.text, one.isOpen));
  const sectionsOf = htmlFiles.flatMap((one): CheckedPage[] =>
    (one.parts?.locked ?? []).map((text) => checked({ ...one, path: `${one.path} (a locked section)` }, text, false)),
  );
  const all = [...pages, ...sectionsOf];
  return [
    ...emptyLocks(policy, files),
    ...openBesides(policy, files, all, open),
    ...heldWords(files, all, open, numberOf),
    ...neededFiles(policy, pages, now),
    ...listings(policy, files),
    ...robots(files, isOpen),
    ...menus(policy, pages, now),
    ...sections(policy, pages),
    ...cutting(policy, files),
    ...names(policy, all),
    ...shadowed(policy, files),
  ];
}

interface CheckedPage {
  readonly path: string;
  readonly target: string;
  readonly isOpen: boolean;
  readonly facts: Omit<PageFacts, 'words'>;
  /** What it says, in rows of words; see {@link rowsOf}. */
  readonly rows: Float64Array;
}

/** Locks, and places of locks, under which no file lies. */
function emptyLocks(policy: Policy, files: readonly SiteFile[]): Finding[] {
  const reached = new Set<unknown>();
  const pages = new Set<string>();
  for (const { target } of files) {
    const read = policy.read(target);
    for (const reading of read.ok ? read.readings : []) {
      pages.add(reading);
      for (const { place } of policy.index.statements(reading)) reached.add(place);
    }
  }
  return [...policy.locks.values()].flatMap(({ name, enabled, covers }): Finding[] => {
    if (!enabled) return [];
    const empty = covers.filter((place) => !(place.kind === 'section' ? pages.has(place.path) : reached.has(place)));
    const places = empty.map(({ text }) => text);
    if (empty.length === covers.length) {
      const text = `The lock ${name} covers ${places.join(', ') || 'no place'}: no file of the site.`;
      return [{ code: 'lock-covers-nothing', about: name, text }];
    }
    return places.map((place) => {
      const text = `No file lies at ${place}, which the lock ${name} covers.`;
      const cause = `places have no file, and the lock ${name} covers them`;
      return { code: 'place-covers-nothing', about: place, text, cause };
    });
  });
}

/** Files that locked pages alone show or lead to, and that are open. */
function openBesides(
  policy: Policy,
  files: readonly SiteFile[],
  pages: readonly CheckedPage[],
  open: ReadonlyMap<string, boolean>,
): Finding[] {
  const reading = (target: string) => {
    const read = policy.read(target);
    return read.ok ? read.readings[0] : undefined;
  };
  const users = new Map<string, CheckedPage[]>();
  for (const page of pages) {
    for (const target of new Set([...page.facts.links.keys()].map(reading))) {
      if (target !== undefined) users.set(target, [...(users.get(target) ?? []), page]);
    }
  }
  // A screen is shown to those who are not let in: what is on it has to be open.
  const onScreens = new Set([...policy.screens.values()].flatMap(({ design }) => filesOf(design).map(reading)));
  return files.flatMap(({ path, target }): Finding[] => {
    if (open.get(target) !== true || isPage(path) || isLooks(path)) return [];
    if (onScreens.has(reading(target))) return [];
    const by = users.get(reading(target) ?? '') ?? [];
    const [first] = by;
    if (first === undefined || by.some((page) => page.isOpen)) return [];
    const cause = 'files are open, though only locked pages lead to them';
    return [
      {
        code: 'file-beside-open',
        about: path,
        cause,
        text: `${path} is open, though only locked pages lead to it: ${andMore(
          by.map((page) => page.path),
          'page',
        )}.`,
      },
    ];
  });
}

/** Open files that repeat what only locked pages say, or name their addresses. */
function heldWords(
  files: readonly SiteFile[],
  pages: readonly CheckedPage[],
  open: ReadonlyMap<string, boolean>,
  numberOf: (word: string) => number,
): Finding[] {
  const secret = new Set<number>();
  for (const page of pages) {
    if (page.isOpen) continue;
    for (const row of page.rows) secret.add(row);
  }
  if (secret.size === 0) return [];
  for (const page of pages) {
    if (page.isOpen) for (const row of page.rows) secret.delete(row);
  }
  return files.flatMap(({ path, target, text }): Finding[] => {
    if (open.get(target) !== true || isPage(path) || isStyle(path) || text === undefined) return [];
    // Those are sent without what is locked.
    if (typeof readListing(text, 'http://site.invalid/', false) === 'object') return [];
    const words = wordsIn(unescaped(text));
    const at = rowsOf(numberOf, words).findIndex((row) => secret.has(row));
    if (at < 0) return [];
    const row = words.slice(at, at + rowLength);
    const by = pages.find((page) => !page.isOpen && page.rows.includes(rowsOf(numberOf, row)[0] ?? 0));
    const held = `${by?.path ?? ''}: “${row.join(' ')} …”`;
    return [{ code: 'index-holds-locked', about: path, text: `${path} is open, and holds words of ${held}` }];
  });
}

/** A number for each word, the same whenever it is met. */
function wordNumbers(): (word: string) => number {
  const numbers = new Map<string, number>();
  return (word) => {
    const known = numbers.get(word);
    if (known !== undefined) return known;
    numbers.set(word, numbers.size + 1);
    return numbers.size;
  };
}

/**
 * Every row of so many words as one number: of 52 bits, so that among millions of rows there is not one
 * pair in a thousand sites that only looks alike. A row as text would cost ten times as much.
 */
function rowsOf(numberOf: (word: string) => number, words: readonly string[]): Float64Array {
  const numbers = words.map(numberOf);
  const rows = new Float64Array(Math.max(0, words.length - rowLength + 1));
  for (let at = 0; at < rows.length; at++) {
    let high = 17;
    let low = 31;
    for (let next = at; next < at + rowLength; next++) {
      const number = numbers[next] ?? 0;
      high = Math.imul(high ^ number, 0x9e3779b1) ^ (high >>> 15);
      low = Math.imul(low + number, 0x85ebca77) ^ (low >>> 13);
    }
    rows[at] = (high >>> 6) * 2 ** 26 + (low >>> 6);
  }
  return rows;
}

/** Files that open pages need and strangers do not get. */
function neededFiles(policy: Policy, pages: readonly CheckedPage[], now: number): Finding[] {
  const open = pages.filter((page) => page.isOpen).map(({ path, facts }) => ({ path, needs: facts.needs }));
  return neededLocked(policy, open, now).map(({ file, locks, pages: by }) => ({
    code: 'open-needs-locked',
    about: file,
    cause: `files are under ${locks.join(' or ')}, and open pages need them`,
    text: `${file}, under ${locks.join(' or ')}, is needed by ${andMore(by, 'page')}, which ${by.length === 1 ? 'is' : 'are'} open.`,
  }));
}

/** Letters that JSON and scripts write as numbers, and the marks of HTML within them. */
const unescaped = (text: string) =>
  text
    .replace(/\\u([0-9a-f]{4})/gi, (_, code: string) => String.fromCharCode(parseInt(code, 16)))
    .replace(/\\[nrt]/g, ' ')
    .replace(/<[^<>]{0,200}>/g, ' ');

/** Sitemaps and feeds that would be shut, as they are broken. */
function listings({ site, locks }: Policy, files: readonly SiteFile[]): Finding[] {
  if (locks.size === 0) return [];
  const named = [...site.sitemaps, ...site.feeds];
  return files.flatMap(({ path, text }): Finding[] => {
    if (text === undefined || isPage(path) || isLooks(path)) return [];
    const isNamed = named.includes(path);
    if (!isNamed && !mayBeListing('', path)) return [];
    if (readListing(text, 'http://site.invalid/', isNamed) !== 'broken') return [];
    return [{ code: 'listing-broken', about: path, text: `${path} is no sitemap or feed that can be read.` }];
  });
}

function robots(files: readonly SiteFile[], isOpen: (target: string) => boolean): Finding[] {
  const text = files.find(({ path }) => path === '/robots.txt')?.text ?? '';
  const named = [...text.matchAll(/^\s*(?:dis)?allow\s*:\s*(\/[^\s#]*)/gim)].map(([, path = '']) => path);
  const locked = [...new Set(named)].filter(
    (path) => path !== '/' && !path.includes('*') && !isOpen(path.replace(/\$$/, '')),
  );
  if (locked.length === 0) return [];
  return [{ code: 'robots-names-locked', about: '/robots.txt', text: `robots.txt names ${locked.join(', ')}.` }];
}

/** Links in menus of open pages to what is locked; a site that is locked as a whole has no others. */
function menus(policy: Policy, pages: readonly CheckedPage[], now: number): Finding[] {
  const found = new Map<string, { targets: Set<string>; pages: Set<string> }>();
  for (const page of pages) {
    if (!page.isOpen) continue;
    for (const [target, { isBareMenu }] of page.facts.links) {
      const standing = isBareMenu ? accessOfStranger(policy, target, now) : undefined;
      if (standing === undefined || standing.open) continue;
      const lock = policy.locks.get(standing.locks[0] ?? '');
      if (lock === undefined || lock.covers.some(({ kind }) => kind === 'site')) continue;
      const of = found.get(lock.name) ?? { targets: new Set(), pages: new Set() };
      of.targets.add(target);
      of.pages.add(page.path);
      found.set(lock.name, of);
    }
  }
  return [...found].map(([lock, of]) => {
    const from = andMore([...of.pages], 'page');
    const to = andMore([...of.targets], 'address', 'addresses');
    return {
      code: 'menu-shows-locked' as const,
      about: lock,
      text: `The menu of ${from} leads to ${to}, shut by ${lock}, for everybody.`,
    };
  });
}

/** `/about.html and 3 more pages`. */
function andMore(all: readonly string[], one: string, many = `${one}s`): string {
  const more = all.length - 1;
  return `${all[0] ?? ''}${more > 0 ? ` and ${more} more ${more === 1 ? one : many}` : ''}`;
}

function sections(policy: Policy, pages: readonly CheckedPage[]): Finding[] {
  return pages.flatMap(({ path, target, facts }) => {
    return [...sectionsAt(policy, target).keys()]
      .filter((id) => !facts.ids.has(id))
      .map((id) => ({
        code: 'section-missing' as const,
        about: path,
        text: `${path} has no element with the id ${id}.`,
      }));
  });
}

/** Pages out of which nothing can be cut, and sections that end before their authors meant them to. */
function cutting(policy: Policy, files: readonly SiteFile[]): Finding[] {
  return files.flatMap(({ path, target, text = '' }): Finding[] => {
    if (!isPage(path)) return [];
    const named = sectionsAt(policy, target);
    const isMarked = text.toLowerCase().includes(markAttribute);
    if (isMarked && !policy.site.marks)
      return [{ code: 'mark-unread', about: path, text: `${path} has a section with \`${markAttribute}\`.` }];
    if (named.size === 0 && !isMarked) return [];
    const { endsEarly, uncut } = readCutting(text, new Set(named.keys()));
    const uncutText = uncut === undefined ? [] : [`${path} is shut whole, as ${shutWords[uncut]}.`];
    return [
      ...endsEarly.map((tag) => ({
        code: 'section-ends-early' as const,
        about: path,
        text: `In ${path}, the locked ${tag} ends before its own end tag: what follows is not locked.`,
      })),
      ...uncutText.map((said) => ({ code: 'page-uncut' as const, about: path, text: said })),
    ];
  });
}

function names(policy: Policy, pages: readonly CheckedPage[]): Finding[] {
  const from = new Map<string, CheckedPage[]>();
  for (const page of pages) {
    for (const name of page.facts.lockNames) {
      if (!policy.locks.has(name)) from.set(name, [...(from.get(name) ?? []), page]);
    }
  }
  return [...from].map(([name, by]) => ({
    code: 'name-unknown',
    about: name,
    text: `The lock ${name}, which there is not, is named in ${andMore(
      by.map(({ path }) => path),
      'page',
    )}.`,
  }));
}

function shadowed({ site: { prefix } }: Policy, files: readonly SiteFile[]): Finding[] {
  return files
    .filter(({ path }) => path.startsWith(`${prefix}/`))
    .map(({ path }) => ({
      code: 'prefix-shadowed',
      about: path,
      text: `${path} is never served.`,
    }));
}
