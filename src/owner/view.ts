import { readFile, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { decodeHTML } from 'entities';
import { decideSection, sectionsAt } from '../core/decide-section.js';
import { decide, type Question } from '../core/decide.js';
import { outcomeOf, type Outcome } from '../core/explain/outcome.js';
import { idleLocks, idleSections } from '../core/idle-locks.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { targetOf } from '../server/site-files.js';
import { addressesInSitemap } from '../server/sitemap.js';
import { loadPolicy } from '../stores/policy-file.js';
import { questionOf, type SeenBy } from './seen-by.js';
import { partsOf } from './page-parts.js';
import { filesOfSite, siteFolder } from './site-files.js';
import type { FoundBy, FoundSite } from './walk-site.js';

/** A section of a page, as somebody finds it. */
export interface SeenSection {
  readonly id: string;
  /** Its heading, or how it begins, where the page lies in a folder. */
  readonly title?: string | undefined;
  readonly outcome: Outcome;
  /** The locks that count there. */
  readonly locks: readonly string[];
  /** Locks of it that do not count then. */
  readonly idle?: readonly string[] | undefined;
}

/** One address, as somebody finds it. What is empty is left out: there can be ten thousand of them. */
export interface SeenPlace {
  readonly path: string;
  readonly kind: 'page' | 'file' | 'address';
  readonly title?: string | undefined;
  readonly outcome: Outcome;
  /** The locks that count there, any of which opens it; also where this visitor is let in. */
  readonly locks?: readonly string[] | undefined;
  /** The places, as the policy writes them, by which those locks cover it. */
  readonly because?: readonly string[] | undefined;
  /** Locks that cover it and do not count then: they are off, have not begun, or have ended. */
  readonly idle?: readonly string[] | undefined;
  readonly sections?: readonly SeenSection[] | undefined;
  /** What this visitor gets as the policy is now, where the draft changes that. */
  readonly before?: Outcome | undefined;
}

/** A whole site as somebody finds it. */
export interface View {
  readonly site: string;
  readonly places: readonly SeenPlace[];
  /** Places that the policy names by a pattern, and the lock that does. */
  readonly patterns: readonly { readonly place: string; readonly lock: string; readonly says: 'covers' | 'except' }[];
  /** How many pages there are, and how many of them this visitor gets. */
  readonly pages: number;
  readonly gets: number;
  /** The moment, in seconds since 1970. */
  readonly now: number;
  /** Locks of which nothing counts then that could have opened them. */
  readonly unopened: readonly string[];
  /** Where the addresses are from. */
  readonly source: 'folder' | FoundBy | 'policy';
  /** Where they were found on the running site: when, in seconds since 1970, and whether there is more. */
  readonly found?: Pick<FoundSite, 'at' | 'isCutShort'> | undefined;
  /** How many of the pages that this visitor gets ask search engines not to list them. */
  readonly unlisted: number;
}

/** What a view is made from besides the policy. */
export interface ViewSources {
  /** The policy as it is live, to tell what a draft changes. */
  readonly liveFile?: string | undefined;
  /** Addresses that were found on the running site. */
  readonly found?: FoundSite | undefined;
  /** Titles of pages by path, as they were read before. */
  readonly titles?: Titles | undefined;
}

/** Titles of pages that were read, with the time of the file, and whether it asks not to be listed. */
export type Titles = Map<string, { readonly changed: number; readonly title: string; readonly isUnlisted: boolean }>;

/** Sites with more pages are shown by their addresses alone. */
const mostTitles = 3000;

/**
 * The whole site, decided as one visitor at one moment.
 * @throws DorlinError `folder-missing`, `lock-unknown`, `time-invalid`, `address-invalid`
 */
export async function viewSite(
  policyFile: string,
  seenBy: SeenBy = {},
  { liveFile, found, titles = new Map() }: ViewSources = {},
): Promise<View> {
  const policy = await loadPolicy(policyFile);
  const live = liveFile === undefined || liveFile === policyFile ? undefined : await loadPolicy(liveFile);
  const { question, unopened } = questionOf(policy, seenBy);
  const formerly = live && questionOf(live, withKnownLocks(seenBy, live)).question;
  const hasFolder = policy.site.folder !== undefined;
  const files = hasFolder ? await filesOfSite(policyFile, policy) : [];
  if (hasFolder) await readTitles(siteFolder(policyFile, policy), files.filter(isPage(policy)), titles);
  const idleAt = idleLocks(policy, question.now);
  const idleIn = idleSections(policy, question.now);
  const known = new Set<string>();
  const places: SeenPlace[] = [];
  const add = (path: string, kind: SeenPlace['kind'], target: string) => {
    const read = policy.read(target);
    const reading = read.ok ? (read.readings[0] ?? '') : target;
    if (kind !== 'file' && known.has(reading)) return;
    known.add(reading);
    const seen = seenPlace(policy, target, question, idleIn(target));
    const idle = idleAt(target).map(({ name }) => name);
    const before = live && formerly ? outcomeOf(decide(live, { target, ...formerly })) : seen.outcome;
    places.push({
      path,
      kind,
      ...seen,
      ...(idle.length > 0 && { idle }),
      ...(titles.get(path)?.title && { title: titles.get(path)?.title }),
      ...(before !== seen.outcome && { before }),
    });
  };
  for (const path of files) add(path, isPage(policy)(path) ? 'page' : 'file', targetOf(path));
  // An application answers at addresses that no file has: the site's own sitemap names them.
  const listed = hasFolder ? await inOwnSitemaps(siteFolder(policyFile, policy), policy) : (found?.targets ?? []);
  for (const target of listed) add(decoded(target), 'page', target);
  for (const lock of policy.locks.values()) {
    for (const place of [...lock.covers, ...lock.except]) {
      if (!('path' in place) || place.kind === 'folder') continue;
      const path = place.text.split('#', 1)[0] ?? '/';
      if (path !== '/') add(path, 'address', encodeURI(path));
    }
  }
  if (hasFolder) await nameSections(siteFolder(policyFile, policy), places);
  // What the policy names and no file is: of a site without files at hand it is all there is.
  const pages = places.filter(({ kind }) => kind === 'page' || (kind === 'address' && !hasFolder));
  const got = pages.filter(({ outcome }) => outcome === 'open' || outcome === 'let-in');
  return {
    site: policy.site.name,
    places: places.sort((one, other) => (one.path < other.path ? -1 : 1)),
    patterns: patternsOf(policy),
    pages: pages.length,
    gets: got.length,
    unlisted: got.filter(({ path }) => titles.get(path)?.isUnlisted === true).length,
    now: question.now,
    unopened,
    source: hasFolder ? 'folder' : (found?.by ?? 'policy'),
    ...(!hasFolder && found && { found: { at: found.at, isCutShort: found.isCutShort } }),
  };
}

/** Whoever has opened a lock that only the draft has, has not in the policy as it is. */
const withKnownLocks = ({ opened = [], ...rest }: SeenBy, { locks }: Policy): SeenBy => ({
  ...rest,
  opened: opened.filter((name) => locks.has(name)),
});

const isPage =
  ({ site }: Policy) =>
  (path: string): boolean =>
    site.extensions.some((end) => path.toLowerCase().endsWith(end));

function seenPlace(
  policy: Policy,
  target: string,
  question: Omit<Question, 'target'>,
  idle: ReadonlyMap<string, readonly Lock[]>,
): Pick<SeenPlace, 'outcome' | 'locks' | 'because' | 'sections'> {
  const decision = decide(policy, { target, ...question });
  const locks = 'locks' in decision ? decision.locks : [];
  const read = policy.read(target);
  const because = (read.ok ? read.readings : [])
    .flatMap((reading) => (locks.length === 0 ? [] : policy.index.statements(reading)))
    .filter(({ lock, says }) => says === 'covers' && locks.includes(lock))
    .map(({ place }) => place.text);
  const named = sectionsAt(policy, target);
  const sections = [...new Set([...named.keys(), ...idle.keys()])].map((id): SeenSection => {
    const groups = named.get(id) ?? [];
    const off = idle.get(id) ?? [];
    const section = decideSection(groups, question);
    const by = section.kind === 'shut' || section.kind === 'let-in' ? section.locks : groups.flat();
    const counting = by.filter((lock) => !off.includes(lock));
    return {
      id,
      outcome: outcomeOf(section),
      locks: [...new Set(counting.map(({ name }) => name))],
      ...(off.length > 0 && { idle: off.map(({ name }) => name) }),
    };
  });
  return {
    outcome: outcomeOf(decision),
    ...(locks.length > 0 && { locks: [...new Set(locks.map(({ name }) => name))], because: [...new Set(because)] }),
    ...(sections.length > 0 && { sections }),
  };
}

function patternsOf({ locks }: Policy): View['patterns'] {
  return [...locks.values()].flatMap(({ name, covers, except }) =>
    [
      ...covers.map((place) => ({ place, says: 'covers' as const })),
      ...except.map((place) => ({ place, says: 'except' as const })),
    ]
      .filter(({ place }) => place.kind === 'page-pattern' || place.kind === 'folder-pattern')
      .map(({ place, says }) => ({ place: place.text, lock: name, says })),
  );
}

function decoded(target: string): string {
  try {
    return decodeURI(target);
  } catch {
    return target;
  }
}

/** What the sitemaps among a site's files name; one that cannot be read names nothing here: `check` says so. */
async function inOwnSitemaps(root: string, { site }: Policy): Promise<string[]> {
  const all = await Promise.all(
    site.sitemaps.map((one) => addressesInSitemap(join(root, decoded(one))).catch((): string[] => [])),
  );
  return all.flat();
}

/** Whether a page says of itself that search engines are not to list it (HTML, "Standard metadata names": robots). */
function asksNotToBeListed(html: string): boolean {
  const head = html.slice(0, 65_536).split(/<body[\s>]/i, 1)[0] ?? '';
  return (head.match(/<meta\s[^>]{0,1000}>/gi) ?? []).some(
    (tag) => /\bname\s*=\s*["']?robots\b/i.test(tag) && /\b(?:noindex|none)\b/i.test(tag),
  );
}

/** Reads the titles of pages that have changed since they were last read. */
async function readTitles(root: string, pages: readonly string[], titles: Titles): Promise<void> {
  if (pages.length > mostTitles) return;
  // Those of pages that are gone would stay.
  if (titles.size > 2 * mostTitles) titles.clear();
  // A few at once: some sites have more files than a process may open.
  for (let at = 0; at < pages.length; at += 32) {
    await Promise.all(
      pages.slice(at, at + 32).map(async (path) => {
        const file = join(root, path);
        const found = await stat(file).catch(() => undefined);
        if (found === undefined || titles.get(path)?.changed === found.mtimeMs || found.size > 4e6) return;
        const text = await readFile(file, 'utf8').catch(() => '');
        titles.set(path, { changed: found.mtimeMs, title: titleOf(text), isUnlisted: asksNotToBeListed(text) });
      }),
    );
  }
}

/** Tells what the sections that locks name are called in their pages. */
async function nameSections(root: string, places: SeenPlace[]): Promise<void> {
  const named = places.flatMap((place, at) => (place.sections === undefined || place.kind !== 'page' ? [] : [at]));
  for (const at of named.slice(0, mostTitles)) {
    const place = places[at];
    if (place?.sections === undefined) continue;
    const html = await readFile(join(root, place.path), 'utf8').catch(() => '');
    if (html === '' || html.length > 4e6) continue;
    const titles = new Map(partsOf(html).map(({ id, text }) => [id, text]));
    const sections = place.sections.map((section): SeenSection => {
      const title = titles.get(section.id) ?? '';
      return title === '' ? section : { ...section, title };
    });
    places[at] = { ...place, sections };
  }
}

/** The title of a page, on one line and no longer than fits one. */
export function titleOf(html: string): string {
  const start = html.slice(0, 65_536).search(/<title[\s>]/i);
  if (start < 0) return '';
  const inner = html.slice(html.indexOf('>', start) + 1, start + 2000);
  const end = inner.search(/<\/title/i);
  const text = decodeHTML(end < 0 ? '' : inner.slice(0, end));
  return text.replace(/\s+/g, ' ').trim().slice(0, 160);
}
