import { readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync, gzipSync } from 'node:zlib';
import mime from 'mime';
import { accessOfStranger } from '../core/access.js';
import { mayBeListing } from '../core/crawlers/listing.js';
import { readSiteListing, shutAddresses } from '../core/crawlers/site-listing.js';
import { lockToAsk, locksBefore } from '../core/decide.js';
import { decideSection, markedLocks, sectionsAt, type SectionLocks, type Sections } from '../core/decide-section.js';
import { DorlinError } from '../core/errors.js';
import { bytesOf } from '../core/letters.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { asksByScreen, countsAt } from '../core/policy/lock-state.js';
import type { Alternatives } from '../core/sealing/areas.js';
import { pageLetters } from '../core/sections/charset.js';
import { cutPage, readPage, withTarget } from '../core/sections/cut.js';
import type { Replacement } from '../core/sections/replacement.js';
import { shutWords } from '../core/sections/uncut-words.js';
import { marksIn, mayBeMarked, plainLetters } from '../core/sections/marks.js';
import { pageKind } from '../core/sections/media-type.js';
import { NestedTooDeeply } from '../core/sections/watching-parser.js';
import { targetOf } from '../server/site-files.js';
import { alternativesOf } from './alternatives.js';
import { withLinksForWorker } from './links-for-worker.js';
import { rootFrom } from './screens.js';

/** A part of a public page that is sealed by itself. */
export interface PlannedPart {
  readonly alternatives: Alternatives;
  readonly start: number;
  readonly end: number;
  readonly content: Uint8Array;
}

/** What becomes of one file of the site. */
export type Planned = { readonly path: string; readonly type: string } & (
  | { readonly kind: 'open' }
  /** Public, but not as it was: without what is locked. */
  | { readonly kind: 'changed'; readonly body: Uint8Array; readonly parts: readonly PlannedPart[] }
  /** `lock`: whose screen stands there; none, where nothing is to be seen. */
  | {
      readonly kind: 'sealed';
      readonly alternatives: Alternatives;
      readonly lock: Lock | undefined;
      /** A page as it is to be sealed, where that is not how it lies there. */
      readonly body?: Buffer | undefined;
    }
  /** Nothing that is sealed opens it: it stays at home. */
  | { readonly kind: 'kept'; readonly lock: Lock | undefined }
);

/** What the plan is made by. */
export interface PlanContext {
  readonly policy: Policy;
  readonly folder: string;
  readonly now: number;
  /** Where the site will lie on its host. */
  readonly base: string;
  /** All that an address on the host may be on the site. */
  readonly pathsAt: (address: string) => readonly string[];
  /** Whether anything is sealed for a lock. */
  readonly mayOpen: (lock: Lock) => boolean;
  /** Is told what the owner should know. */
  readonly note: (path: string, what: string) => void;
}

/** A page as it is sealed: with links that the worker can answer. */
export const pageToSeal = ({ policy, base, pathsAt, now }: PlanContext, bytes: Buffer, path: string): Buffer =>
  withLinksForWorker(bytes, base + targetOf(path).slice(1), (address) =>
    pathsAt(address).some((one) => locksBefore(policy, one, now).kind === 'locked'),
  );

/** Bytes of what may still be a page, should a host know no type of it. */
const mostOfPage = 64 * 1024 * 1024;

export const typeOf = (path: string): string => mime.getType(path) ?? 'application/octet-stream';

/**
 * Decides about one file, by the same rules as the guard: as a stranger, at this moment.
 * @throws DorlinError `seal-unfit`
 */
export function planFile(context: PlanContext, path: string): Planned {
  const { policy, now } = context;
  const target = targetOf(path);
  const type = typeOf(path);
  const standing = locksBefore(policy, target, now);
  // An address that cannot be read for certain is given to nobody.
  if (standing.kind === 'refused') return { path, type, kind: 'kept', lock: undefined };
  const readings = standing.kind === 'locked' ? standing.readings : [];
  if (type === 'text/html') return planPage(context, path, readings);
  // Of what is no HTML, or of no type that a host could know, no part can be taken out for certain.
  const named = [...sectionsAt(policy, target).values()].flat();
  const isListed = [...policy.site.sitemaps, ...policy.site.feeds].includes(path);
  const mayHold = named.length > 0 || pageKind(type) !== undefined || mime.getType(path) === null;
  const mayBeList = isListed || mayBeListing(type, path);
  const asItIs: Planned = readings.length > 0 ? sealedUnder(context, path, readings) : { path, type, kind: 'open' };
  if (!mayHold && (!mayBeList || readings.length > 0)) return asItIs;
  // What is larger than any page, and neither called a page nor a list, is none.
  const isNamedKind = mayBeList || named.length > 0 || pageKind(type) !== undefined;
  if (!isNamedKind && statSync(join(context.folder, path)).size > mostOfPage) return asItIs;
  const bytes = readFileSync(join(context.folder, path));
  const isPacked = mayBeList && bytes[0] === 0x1f && bytes[1] === 0x8b;
  const letters = (isPacked ? unpacked(bytes, path) : bytes).toString('latin1');
  const shut = mayHold ? shutWhole(context, path, named, letters, readings) : undefined;
  if (shut !== undefined) {
    context.note(path, `sealed as a whole: ${shutWords.unreadable}`);
    return shut;
  }
  if (!mayBeList || readings.length > 0) return asItIs;
  const planned = planListing(context, path, letters, isListed);
  return isPacked && planned.kind === 'changed' ? { ...planned, body: gzipSync(planned.body) } : planned;
}

/** Endings of copies that a web server sends in place of a file, to whoever takes that coding. */
const packedCopy = /\.(?:gz|br|zst|zz|deflate)$/i;

/**
 * The plan, with what one file says of another:
 *
 * - A file that sends the content of a page with marked sections (`events/__data.json`, `events.txt`) is locked with
 *   them. Whole pages and sections that the policy names are known of before.
 * - A packed copy of a file that is sealed or changed is not published: a host would send it in place of the other.
 *   Nor is one that cannot be unpacked here, if there is no such file.
 */
export function withCompanions(context: PlanContext, planned: readonly Planned[]): Planned[] {
  const { policy, folder, now, note } = context;
  const marked = new Map<string, SectionLocks>();
  for (const { path, type } of planned) {
    if (type !== 'text/html' || !policy.site.marks) continue;
    const body = readFileSync(join(folder, path));
    const names = mayBeMarked(body) ? marksIn(plainLetters(body.toString('latin1'))) : [];
    const groups = names.flatMap((name) => markedLocks(policy, name) ?? [[]]);
    const read = policy.read(targetOf(path));
    for (const reading of groups.length > 0 && read.ok ? read.readings : []) {
      marked.set(reading, [...(marked.get(reading) ?? []), ...groups]);
    }
  }
  const byPath = new Map(planned.map((plan) => [plan.path, plan]));
  return planned.map((plan): Planned => {
    const { path, type, kind } = plan;
    if (kind === 'kept' || kind === 'sealed') return plan;
    if (packedCopy.test(path)) {
      const original = byPath.get(path.replace(packedCopy, ''));
      const isReadable = /\.gz$/i.test(path);
      if (
        original === undefined
          ? isReadable || mime.getType(path.replace(packedCopy, '')) === null
          : original.kind === 'open'
      )
        return plan;
      note(path, 'not published: it is a packed copy of what is sealed or changed, or cannot be unpacked here');
      return { path, type, kind: 'kept', lock: undefined };
    }
    const read = policy.read(targetOf(path));
    const of = read.ok
      ? (read.companions ?? []).flatMap(({ reading, isWhole }) => (isWhole ? (marked.get(reading) ?? []) : []))
      : [];
    if (of.length === 0) return plan;
    const groups = of.map((group) => group.filter((lock) => countsAt(lock, now)));
    // A lock that does not count shuts nothing; a name that no lock has lets nobody in.
    const shut = groups.filter((group, at) => group.length > 0 || of[at]?.length === 0);
    if (shut.length === 0) return plan;
    note(path, 'sealed: it may send the content of a page that has locked sections');
    return shut.some((group) => group.length === 0)
      ? { path, type, kind: 'kept', lock: undefined }
      : sealedUnder(context, path, shut);
  });
}

/** @throws DorlinError `seal-unfit` */
function unpacked(bytes: Buffer, path: string): Buffer {
  try {
    return gunzipSync(bytes, { maxOutputLength: 2 ** 28 });
  } catch (cause) {
    const message = `${path} is packed, and cannot be unpacked: it may name what is locked.`;
    throw new DorlinError('seal-unfit', message, { cause });
  }
}

/** A worker of the site's own would answer in the place of ours, or ours in its. */
export function noteWorker({ note }: PlanContext, path: string, bytes: Buffer): void {
  if (!bytes.includes('serviceWorker') || !/serviceWorker\s*\.\s*register\s*\(/.test(bytes.toString('latin1'))) return;
  note(path, 'registers a service worker of the site’s own: of two at the same scope only one counts');
}

/**
 * A page of which no part can be taken out, under all locks that the policy names of it and by which it may
 * be marked; undefined where those shut nothing. What no lock is called by lets nobody in.
 */
function shutWhole(
  context: PlanContext,
  path: string,
  named: SectionLocks,
  letters: string,
  page: SectionLocks = [],
): Planned | undefined {
  const { policy, now } = context;
  const marks = marksIn(plainLetters(letters)).map((name) => markedLocks(policy, name));
  if (marks.includes(undefined)) return { path, type: typeOf(path), kind: 'kept', lock: undefined };
  const groups = [...named, ...marks.flatMap((one) => one ?? [])]
    .map((group) => group.filter((lock) => countsAt(lock, now)))
    .filter((group) => group.length > 0);
  return groups.length === 0 ? undefined : sealedUnder(context, path, [...page, ...groups]);
}

function sealedUnder(
  { mayOpen, now }: PlanContext,
  path: string,
  groups: readonly (readonly Lock[])[],
  body?: Buffer,
): Planned {
  const alternatives = alternativesOf(groups, mayOpen, now);
  const lock = lockToAsk(groups[0] ?? []);
  const isSeen = lock.outsiders !== 'not-found';
  const type = typeOf(path);
  if (alternatives.length === 0) return { path, type, kind: 'kept', lock: isSeen ? lock : undefined };
  return { path, type, kind: 'sealed', alternatives, lock: isSeen ? lock : undefined, body };
}

function planListing(
  { policy, base, pathsAt, now }: PlanContext,
  path: string,
  letters: string,
  isNamed: boolean,
): Planned {
  const type = typeOf(path);
  const { origin } = policy.site;
  const listing = readSiteListing(letters, origin, base + targetOf(path).slice(1), isNamed);
  if (listing === undefined) return { path, type, kind: 'open' };
  if (listing === 'broken') {
    throw new DorlinError(
      'seal-unfit',
      `${path} is a sitemap or feed that cannot be read: it may name what is locked.`,
    );
  }
  const isShut = shutAddresses((address) => pathsAt(address).every((one) => accessOfStranger(policy, one, now).open));
  const left = listing.without(isShut, `${origin ?? ''}${base}`);
  return left === undefined
    ? { path, type, kind: 'open' }
    : { path, type, kind: 'changed', body: bytesOf(left), parts: [] };
}

/** @param page - of a page that is locked itself: the groups of locks that it stands under */
function planPage(context: PlanContext, path: string, page: SectionLocks): Planned {
  const isLocked = page.length > 0;
  const { policy, folder, now, mayOpen, note } = context;
  const type = 'text/html';
  const target = targetOf(path);
  const original = readFileSync(join(folder, path));
  noteWorker(context, path, original);
  const body = pageToSeal(context, original, path);
  const asItIs: Planned = isLocked
    ? sealedUnder(context, path, page)
    : body === original
      ? { path, type, kind: 'open' }
      : { path, type, kind: 'changed', body, parts: [] };
  const named = sectionsAt(policy, target);
  if (named.size === 0 && !mayBeMarked(body)) return asItIs;
  const source = pageLetters(body, type);
  const stranger = { passes: [], now };
  /** The whole page under all locks of its sections, where they cannot be taken out of it for certain. */
  const whole = (why: string): Planned => {
    note(path, `sealed as a whole: ${why}`);
    return shutWhole(context, path, [...named.values()].flat(), body.toString('latin1'), page) ?? asItIs;
  };
  const shutOf = (locks: SectionLocks) => {
    const decision = decideSection(locks, stranger);
    return decision.kind === 'shut' ? lockToAsk(decision.locks) : undefined;
  };
  const counting = (locks: SectionLocks) =>
    locks.map((group) => group.filter((lock) => countsAt(lock, now))).filter((group) => group.length > 0);
  const shutNamed = [...named].filter(([, locks]) => shutOf(locks) !== undefined);
  if (source === undefined || source.isRecoded) {
    if (shutNamed.length === 0 && !isLocked)
      throw new DorlinError('seal-unfit', `${path} has marked parts, and cannot be read for certain.`);
    return whole(shutWords.unreadable);
  }
  const read = readShallow(source.letters, named, source.readValue);
  if (read === undefined) return whole(shutWords['too-deep']);
  const groupsOf = new Map<Replacement, SectionLocks>();
  const replacement = (lock: Lock, locks: SectionLocks): Replacement => {
    // What is cut out of a locked page is what nothing opens there.
    const kind = lock.outsiders === 'not-found' ? 'hidden' : asksByScreen(lock) && !isLocked ? 'ask' : 'closed';
    const made: Replacement =
      kind === 'hidden' || isLocked ? { lock: lock.name, kind } : { lock: lock.name, kind, screen: lock.screen };
    groupsOf.set(made, counting(locks));
    return made;
  };
  const ids = new Map<string, Replacement>();
  const marks = new Map<string, Replacement>();
  /** Of a locked page: the locks of its sections that are asked for as well. */
  const required: (readonly Lock[])[] = [];
  /** Whether a section needs not be cut: whoever has the page has it too, or is asked for its locks with the page's. */
  const isWithPage = (locks: SectionLocks): boolean => {
    if (!isLocked) return false;
    const groups = counting(locks);
    if (alternativesOf(groups, mayOpen, now).length === 0) return false;
    required.push(...groups);
    return true;
  };
  for (const [id, locks] of shutNamed) {
    const lock = shutOf(locks);
    if (isWithPage(locks)) continue;
    // What is to be hidden may be there under another name.
    if (!read.ids.has(id)) return whole(`it has no element \`${id}\``);
    if (lock !== undefined) ids.set(id, replacement(lock, locks));
  }
  for (const name of read.marks) {
    const locks = markedLocks(policy, name);
    if (locks === undefined) {
      // A slip of the pen lets nobody in.
      marks.set(name, { lock: '', kind: 'closed', screen: isLocked ? undefined : policy.defaultScreen });
      note(path, `a part is marked by \`${name}\`, which is no lock: nobody gets it`);
      continue;
    }
    const lock = shutOf(locks);
    if (lock !== undefined && !isWithPage(locks)) marks.set(name, replacement(lock, locks));
  }
  if (ids.size + marks.size === 0) return isLocked ? sealedUnder(context, path, [...page, ...required]) : asItIs;
  const root = rootFrom(path);
  const addresses = {
    unlock: `${root}_dorlin/unlock`,
    script: `${root}_dorlin/page.js`,
    needsScript: true,
    styleOf: ({ name, sectionStyle }: Lock['screen']) =>
      sectionStyle === undefined ? undefined : `${root}_dorlin/section-${name}.css`,
  };
  const cut = cutPage(source.letters, { ids, marks }, addresses, undefined, source.readValue);
  if (typeof cut === 'string') return whole(shutWords[cut]);
  const cutBody = bytesOf(source.start + withTarget(cut, target));
  if (isLocked) return sealedUnder(context, path, [...page, ...required], Buffer.from(cutBody));
  // Opening the outer one would show the inner one with it.
  if (cut.isNested) return whole('a section of it lies within another');
  const parts: PlannedPart[] = [];
  let shift = source.start.length;
  for (const { start, end, text, by } of cut.splices) {
    const groups = by && groupsOf.get(by);
    const inside = source.letters.slice(start, end);
    const alternatives = groups === undefined ? [] : alternativesOf(groups, mayOpen, now);
    if (alternatives.length > 0) {
      parts.push({ alternatives, start: start + shift, end: start + shift + text.length, content: bytesOf(inside) });
    }
    shift += text.length - (end - start);
  }
  return { path, type, kind: 'changed', body: cutBody, parts };
}

function readShallow(
  letters: string,
  named: Sections,
  readValue: (value: string) => string,
): ReturnType<typeof readPage> | undefined {
  try {
    return readPage(letters, new Set(named.keys()), readValue);
  } catch (error) {
    if (error instanceof NestedTooDeeply) return undefined;
    throw error;
  }
}
