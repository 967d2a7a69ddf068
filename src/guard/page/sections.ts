import { lockToAsk } from '../../core/decide.js';
import { decideSection, markedLocks, type SectionLocks, type Sections } from '../../core/decide-section.js';
import type { Lock } from '../../core/policy/types.js';
import { asksByScreen } from '../../core/policy/lock-state.js';
import { bytesOf } from '../../core/letters.js';
import { pageLetters, type PageLetters } from '../../core/sections/charset.js';
import { withTarget, type CutPage, type Cuts, type UncutReason } from '../../core/sections/cut.js';
import type { ShutReason } from '../../core/sections/uncut-words.js';
import type { Replacement } from '../../core/sections/replacement.js';
import { isUnknownType, pageKind } from '../../core/sections/media-type.js';
import { NestedTooDeeply } from '../../core/sections/watching-parser.js';
import { marksIn, mayBeMarked, mayHoldId, plainLetters } from '../../core/sections/marks.js';
import { privately, textAnswer } from '../answers/answers.js';
import { tell, type GuardContext } from '../context.js';
import { factsOf, type Facts } from '../visit/facts.js';
import { outsiderAnswer } from '../answers/outsider.js';
import { shownPath } from '../visit/target.js';
import type { KnownPage, NamedPage } from '../caches.js';
import { noteBypass, type Bar } from './bar.js';
import { cutOf, knownPage, PageSource } from './known-pages.js';
import { gunzipped, isGzip } from './gzip.js';
import {
  headerOf,
  type FilteredPage,
  type PageFilter,
  type RepeatedPage,
  type ServedPage,
  type VerdictHeaders,
} from '../visit/visit.js';

/** What is known of an address is known of it at one host: what it leads to may be another at the next. */
const addressOf = ({ guarded, visit, target }: GuardContext) =>
  `${guarded.number} ${headerOf(visit, 'host') ?? ''} ${target}`;
export const keyOf = (context: GuardContext, etag: string) => `${addressOf(context)}\n${etag}`;

const noBody = new Uint8Array();
const noSections: Sections = new Map();

const bytesAsLetters = new TextDecoder('latin1');

/** In small letters, one for each byte: ASCII is found in it whatever the encoding. */
const lettersOf = ({ body, letters }: ServedPage) =>
  plainLetters(letters?.() ?? bytesAsLetters.decode(body ?? new Uint8Array()));

/** What is made of an answer: undefined where it may go out as it is. */
export function filterPage(
  context: GuardContext,
  known: Facts | undefined,
  own: Sections,
  page: ServedPage,
  bar: Bar,
): ReturnType<PageFilter['filter']> {
  const { contentType, body, status, etag } = page;
  const sections = pageKind(contentType) === 'html' ? withElsewhere(context, own, page) : own;
  if (body !== undefined && pageKind(contentType) === 'html' && isPacked(body))
    return packedPage(context, known, sections, page, body);
  const isSuccess = status >= 200 && status < 300;
  const isNamed = sections.size > 0;
  const kind = pageKind(contentType);
  const isReadable = body !== undefined && kind === 'html';
  if (!isReadable) {
    const mayBeMarked = kind !== undefined;
    const names = body !== undefined && mayBeMarked ? namesIn(page) : [];
    const mayHold = isNamed || (body === undefined ? mayBeMarked : names.length > 0);
    if (!mayHold || body?.length === 0) return undefined;
    // Browsers go where a redirect leads, and show nothing of what comes with it.
    if (status >= 300 && status < 400) return { kind: 'changed', headers: {}, body: noBody };
    // What may hold a section, and cannot be read, is the section.
    return withFacts(context, known, (facts) => unread(context, facts, sections, names, 'unreadable'));
  }
  // What was read before under this ETag needs not be read again.
  const key = status === 200 && etag ? `${keyOf(context, etag)}\n${contentType}` : undefined;
  const named = key === undefined ? undefined : context.caches.named.get(context.guarded.number, key);
  if (named === undefined && !isNamed && !mayBeMarked(body)) return undefined;
  const readText = () => pageLetters(body, contentType, page.letters);
  const text = named === undefined ? readText() : undefined;
  return withFacts(context, known, (facts) =>
    named === undefined && text === undefined
      ? unread(context, facts, sections, namesIn(page), 'unreadable')
      : cutFor(
          context,
          facts,
          sections,
          { key, named, page, required: isSuccess ? own : noSections, text: () => text ?? readText() },
          bar,
        ),
  );
}

/** The sections of a page by its address, and those that it may have as it is a page of another address. */
function withElsewhere({ guarded }: GuardContext, own: Sections, { status, body, letters }: ServedPage): Sections {
  const elsewhere = status < 400 ? guarded.elsewhere.page : guarded.elsewhere.error;
  if (elsewhere.size === 0 || body === undefined) return own;
  if (!mayHoldId(letters?.() ?? bytesAsLetters.decode(body), elsewhere.keys())) return own;
  return new Map([...own, ...[...elsewhere].map(([id, locks]) => [id, [...(own.get(id) ?? []), ...locks]] as const)]);
}

/** Whether a body begins as one does that was packed by gzip or Zstandard (RFC 8878 section 3.1.1). */
const isPacked = (body: Uint8Array) =>
  isGzip(body) || (body[0] === 0x28 && body[1] === 0xb5 && body[2] === 0x2f && body[3] === 0xfd);

/**
 * A page that is packed, and of which no header says so: browsers do not show it, but whoever unpacks it can read
 * it. Nothing can be cut out of it, so it goes out whole or not at all.
 */
async function packedPage(
  context: GuardContext,
  known: Facts | undefined,
  sections: Sections,
  page: ServedPage,
  body: Uint8Array,
): Promise<FilteredPage | undefined> {
  const isDeclared = !isUnknownType(page.contentType);
  const plain = isGzip(body) ? await gunzipped(body) : undefined;
  if (sections.size === 0 && plain !== undefined && !mayBeMarked(plain)) return undefined;
  if (sections.size === 0 && plain === undefined && !isDeclared) return undefined;
  const names = plain === undefined ? [] : marksIn(plainLetters(bytesAsLetters.decode(plain)));
  return withFacts(context, known, (facts) => unread(context, facts, sections, names, 'unreadable'));
}

/** A page of which at least one of names and text is known. */
interface HeldPage {
  /** What tells its content from any other, if anything does. */
  readonly key: string | undefined;
  readonly named: NamedPage | undefined;
  readonly page: ServedPage;
  /** The sections that it must have, by its address. */
  readonly required: Sections;
  readonly text: () => PageLetters | undefined;
}

const namesIn = (page: ServedPage) => marksIn(lettersOf(page));

function withFacts<T>(
  context: GuardContext,
  known: Facts | undefined,
  then: (facts: Facts) => T | Promise<T>,
): T | Promise<T> {
  const facts = known ?? factsOf(context);
  return facts instanceof Promise ? facts.then(then) : then(facts);
}

/** What is sent of a page that cannot be read: all of it or nothing. */
function unread(
  context: GuardContext,
  facts: Facts,
  sections: Sections,
  marks: readonly string[],
  why: ShutReason,
): FilteredPage {
  const { policy } = context.guarded;
  const named = marks.map((name) => markedLocks(policy, name));
  const told = (lock: string) => {
    tell(context, { type: 'page-uncut', lock, path: shownPath(context.target), why });
  };
  const forNobody = () => {
    told('');
    return unreadable;
  };
  if (sections.size + named.length === 0) return forNobody();
  for (const locks of [...sections.values(), ...named]) {
    // A name that no lock has lets nobody in.
    if (locks === undefined) return forNobody();
    const decision = decideSection(locks, facts);
    if (decision.kind !== 'shut') continue;
    const lock = lockToAsk(decision.locks);
    told(lock.name);
    return shutAnswer(context, lock);
  }
  return { kind: 'as-it-is', headers: privately };
}

const unreadable = textAnswer(403, 'This page may hold something that is locked, and cannot be read for certain.');

/** The answer to an outsider, for a page that the application has answered already. */
function shutAnswer(context: GuardContext, lock: Lock): FilteredPage {
  const verdict = outsiderAnswer(context, [lock]);
  return verdict === 'hide' ? textAnswer(404, 'There is nothing here.') : verdict;
}

function cutFor(
  context: GuardContext,
  facts: Facts,
  sections: Sections,
  held: HeldPage,
  bar: Bar,
): FilteredPage | Promise<FilteredPage> {
  let made: PageSource | undefined;
  const source = (): PageSource => {
    const letters = made?.letters ?? held.text();
    if (letters === undefined) throw new Error('a page of which nothing is known was to be read');
    return (made ??= new PageSource(letters, sections, held.page.pause));
  };
  const tooDeep = (error: unknown) => {
    if (!(error instanceof NestedTooDeeply)) throw error;
    return unread(context, facts, sections, namesIn(held.page), 'too-deep');
  };
  const withNames = (named: NamedPage | KnownPage['read']) =>
    cutByNames(context, facts, sections, held, bar, named, source);
  if (held.named !== undefined) return withNames(held.named);
  try {
    const known = knownPage(context, source());
    return known instanceof Promise ? known.then(({ read }) => withNames(read), tooDeep) : withNames(known.read);
  } catch (error) {
    return tooDeep(error);
  }
}

/** What is sent of a page of which is known which sections it has. */
function cutByNames(
  context: GuardContext,
  facts: Facts,
  sections: Sections,
  { key: pageKey, named, page, required, text }: HeldPage,
  bar: Bar,
  read: Pick<KnownPage['read'], 'ids' | 'marks'>,
  source: () => PageSource,
): FilteredPage | Promise<FilteredPage> {
  const { guarded, caches } = context;
  if (read.marks.size > 0 && named === undefined) noteMarks(context, read.marks);
  let number = named?.number;
  if (pageKey !== undefined && number === undefined) {
    number = pageNumber++;
    caches.named.set(guarded.number, pageKey, { ids: read.ids, marks: read.marks, number });
  }
  const cuts = cutsFor(context, facts, sections, read, required, bar);
  if ('missing' in cuts) {
    // What is to be hidden may be there under another name.
    tell(context, { type: 'section-missing', lock: cuts.missing.name, id: cuts.id });
    return shutAnswer(context, cuts.missing);
  }
  const { ids, marks } = cuts;
  if (ids.size + marks.size === 0) return { kind: 'as-it-is', headers: privately };
  const cutKey = keyOfCuts(ids) + keyOfCuts(marks);
  const sentKey = number === undefined ? undefined : `${number} ${cutKey}`;
  const sent = sentKey === undefined ? undefined : caches.sent.get(guarded.number, sentKey);
  if (sent !== undefined) return { kind: 'changed', headers: sent.headers, body: sent.body };
  const uncut = (why: ShutReason) => unread(context, facts, sections, [...marks.keys()], why);
  const letters = text();
  if (letters === undefined) return uncut('unreadable');
  const finish = (cut: CutPage | UncutReason): FilteredPage => {
    if (typeof cut === 'string') return uncut(cut);
    const body = bytesOf(letters.start + withTarget(cut, context.target));
    const headers = letters.isRecoded ? ofRecoded : page.contentType.trim() === '' ? ofUntyped : privately;
    if (sentKey !== undefined && pageKey !== undefined) {
      const given = repeatableHeaders(page);
      caches.sent.set(guarded.number, sentKey, { body, given, headers });
      const { etag = '' } = page;
      if (given !== undefined) caches.last.set(guarded.number, addressOf(context), { key: pageKey, etag });
    }
    return { kind: 'changed', headers, body };
  };
  const known = knownPage(context, source());
  const cut =
    known instanceof Promise
      ? known.then((one) => cutOf(context, source(), one, { ids, marks }, cutKey))
      : cutOf(context, source(), known, { ids, marks }, cutKey);
  return cut instanceof Promise ? cut.then(finish) : finish(cut);
}

/** Keeps that a page has marked sections, for whoever asks for its data at another address. */
function noteMarks({ guarded, caches, target }: GuardContext, marks: ReadonlySet<string>): void {
  const read = guarded.policy.read(target);
  for (const reading of read.ok ? read.readings : []) {
    // Host names make no difference: to lock more is safe.
    const key = `${guarded.number} ${reading}`;
    caches.marked.set(guarded.number, key, new Set([...(caches.marked.get(guarded.number, key) ?? []), ...marks]));
  }
}

/** What nobody gave a type was read as a page, and must be by others. */
const ofUntyped = { ...privately, 'content-type': 'text/html' };
const ofRecoded = { ...privately, 'content-type': 'text/html; charset=utf-8' };

/** What is to be cut for a visitor; or a section that is to be, and that the page does not have. */
function cutsFor(
  context: GuardContext,
  facts: Facts,
  sections: Sections,
  read: Pick<KnownPage['read'], 'ids' | 'marks'>,
  required: Sections,
  bar: Bar,
): Cuts | { readonly missing: Lock; readonly id: string } {
  const { policy } = context.guarded;
  const ids = new Map<string, Replacement>();
  const marks = new Map<string, Replacement>();
  /** The lock that shuts it, if one does. */
  const shutting = (locks: SectionLocks) => {
    const decision = decideSection(locks, facts);
    if (decision.kind === 'shut') return lockToAsk(decision.locks);
    if (decision.kind === 'let-in') noteBypass(context, bar, decision.bypass);
    return undefined;
  };
  for (const [id, locks] of sections) {
    const lock = shutting(locks);
    if (lock === undefined) continue;
    if (read.ids.has(id)) ids.set(id, replacementFor(lock));
    else if (required.has(id)) return { missing: lock, id };
  }
  for (const name of read.marks) {
    const locks = markedLocks(policy, name);
    // A name that no lock has is a slip of the pen, and lets nobody in.
    if (locks === undefined) marks.set(name, { lock: '', kind: 'closed', screen: policy.defaultScreen });
    else {
      const lock = shutting(locks);
      if (lock !== undefined) marks.set(name, replacementFor(lock));
    }
  }
  return { ids, marks };
}

/**
 * What was sent before of this address to visitors like this one. Only where nothing has to be
 * waited for, and nothing but the page is to be sent.
 */
export function repeatedPage(
  context: GuardContext,
  known: Facts | undefined,
  sections: Sections,
  bar: Bar,
): RepeatedPage | undefined {
  const { guarded, caches, visit } = context;
  const last = sections.size === 0 ? undefined : caches.last.get(guarded.number, addressOf(context));
  const named = last === undefined ? undefined : caches.named.get(guarded.number, last.key);
  if (last === undefined || named === undefined || visit.method !== 'GET') return undefined;
  const facts = known ?? factsOf(context);
  if (facts instanceof Promise) return undefined;
  // What it may have of other pages is among what was found in it.
  const elsewhere = [...guarded.elsewhere.page].filter(([id]) => named.ids.has(id));
  const all = new Map([
    ...sections,
    ...elsewhere.map(([id, locks]) => [id, [...(sections.get(id) ?? []), ...locks]] as const),
  ]);
  const cuts = cutsFor(context, facts, all, named, sections, bar);
  if ('missing' in cuts || bar.ribbon !== undefined || bar.bypass !== undefined) return undefined;
  const key = `${named.number} ${keyOfCuts(cuts.ids)}${keyOfCuts(cuts.marks)}`;
  const sent = caches.sent.get(guarded.number, key);
  if (sent?.given === undefined) return undefined;
  const filtered = { kind: 'changed', headers: sent.headers, body: sent.body } as const;
  return { etag: last.etag, given: sent.given, filtered };
}

/**
 * Headers about the page itself, which are the same for everybody who gets these bytes. No other is sent again: it
 * could be about the visitor for whom the application answered.
 */
const ofPage =
  /^(?:link|content-(?:type|language|disposition|security-policy(?:-report-only)?)|referrer-policy|permissions-policy|x-frame-options|x-content-type-options|strict-transport-security|cross-origin-(?:opener|embedder|resource)-policy)$/;

/**
 * The headers of an answer that is for everybody, and may be kept (RFC 9111 section 3). Undefined
 * where it is not, or where nobody says so.
 */
function repeatableHeaders({ headers }: ServedPage): VerdictHeaders | undefined {
  const given = headers?.();
  if (given === undefined || given['set-cookie'] !== undefined) return undefined;
  const list = (name: string) => [given[name] ?? []].flat().join(',').toLowerCase();
  if (/no-store|private/.test(list('cache-control'))) return undefined;
  // Of several versions of the page, the ETag would have to tell.
  if (list('vary').replace(/accept-encoding|[\s,]/g, '') !== '') return undefined;
  return Object.fromEntries(Object.entries(given).filter(([name]) => ofPage.test(name)));
}

let pageNumber = 0;

/** Names of locks have no spaces; ids may, and so stand last. */
function keyOfCuts(cuts: Cuts['ids']): string {
  let key = '';
  for (const [name, { lock, kind }] of cuts) key += `${lock} ${kind} ${name.length} ${name}\n`;
  return `${key}\n`;
}

function replacementFor(lock: Lock): Replacement {
  const { name, outsiders, screen } = lock;
  if (outsiders === 'not-found') return { lock: name, kind: 'hidden' };
  return { lock: name, kind: asksByScreen(lock) ? 'ask' : 'closed', screen };
}
