import { foldPart, foldRules, withoutExtension, type PlaceRules } from './fold.js';
import { maxPathLength, maxTargetLength, normalTarget, type Refusal } from './request-target.js';

/**
 * What a request target may mean. A reading is a canonical path: folded, without query, with one
 * slash between parts and none at the end, index file and extension dropped; the start page is
 * the empty string. Servers disagree about some spellings, so there can be several readings, and
 * a visitor must be let in by *every* one. The plainest comes first.
 */
export type Canonical =
  | {
      readonly ok: true;
      readonly readings: readonly string[];
      /** Pages and files whose content this address may send as well; none, if left out. */
      readonly companions?: readonly Companion[] | undefined;
    }
  | { readonly ok: false; readonly refusal: Refusal };

/** A page or a file that an address sends the content of, though it has an address of its own. */
export interface Companion {
  /** The name of its kind. */
  readonly kind: string;
  /** Its canonical path. */
  readonly reading: string;
  /**
   * Whether it is known that the address sends the whole page, sections included; else only its ending suggests that it
   * may be the page in another format: `/search.json` is mostly something of its own.
   */
  readonly isWhole: boolean;
  /** Whether an exception for exactly the address is one for the content too. */
  readonly isTwin: boolean;
}

/** Most path parts that are read. */
export const maxParts = 128;
/** Most readings of one target; more is no honest address. */
export const maxReadings = 32;

const slash = 47;
const dot = 46;
const question = 63;
const space = 32;

/**
 * Makes the reader of request targets for one site.
 *
 * The reader takes a request target as it arrived (RFC 9112 section 3.2: origin-form or
 * absolute-form) and answers with its readings or a refusal. It never throws.
 *
 * @param asPlace - reads what an owner writes: a `+` is meant as one, and a name with an ending may be
 * a folder's (`/v1.2/guide`), without any other reading
 */
export function targetReader(siteRules: PlaceRules, asPlace = false): (target: string) => Canonical {
  const rules = foldRules(siteRules);
  const indexFiles = new Set(rules.indexFiles);
  const indexBases = new Set(rules.indexFiles.map((file) => withoutExtension(file, rules)));
  const isIndexLength: boolean[] = [];
  for (const base of indexBases) isIndexLength[base.length] = true;
  return (target) => {
    const plain = readPlain(target, rules, indexBases, isIndexLength);
    return plain === undefined
      ? readCarefully(target, { rules, indexFiles, indexBases, asPlace })
      : { ok: true, readings: [plain] };
  };
}

/**
 * Makes the reader of paths in parts, decoded and folded, for one site.
 *
 * @param siteRules - the site's rules
 */
export function partsReader(siteRules: PlaceRules): (parts: readonly string[]) => ReadonlySet<string> {
  const rules = foldRules(siteRules);
  const indexFiles = new Set(rules.indexFiles);
  const indexBases = new Set(rules.indexFiles.map((file) => withoutExtension(file, rules)));
  return (parts) => {
    const readings = new Set<string>();
    addReadings(parts, readings, { rules, indexFiles, indexBases, asPlace: false });
    return readings;
  };
}

/**
 * The quick way for the spelling that nearly every request has: letters, digits, hyphens, a dot
 * in the last part only. Answers undefined for everything else, which the careful way then reads.
 */
function readPlain(
  target: string,
  rules: PlaceRules,
  indexBases: ReadonlySet<string>,
  isIndexLength: readonly boolean[],
): string | undefined {
  if (target.charCodeAt(0) !== slash || target.length > maxTargetLength) return undefined;
  let end = target.length;
  let lastSlash = 0;
  let firstDot = -1;
  let upper = false;
  let parts = 0;
  for (let at = 1; at < end; at++) {
    const code = target.charCodeAt(at);
    if (code < 128 && isPlainSign[code] === 1) {
      continue;
    } else if (code === slash) {
      if (at === lastSlash + 1 || firstDot >= 0 || ++parts >= maxParts) return undefined;
      lastSlash = at;
    } else if (code === dot) {
      if (at === lastSlash + 1 || at === end - 1) return undefined;
      if (firstDot < 0) firstDot = at;
    } else if (code >= 65 && code <= 90) {
      upper = true;
    } else if (code === question) {
      end = at;
    } else return undefined;
  }
  if (end > maxPathLength || target.charCodeAt(end - 1) === dot) return undefined;
  if (lastSlash === end - 1) {
    if (firstDot >= 0) return undefined;
    end = lastSlash;
    lastSlash = target.lastIndexOf('/', end - 1);
  }
  if (end <= 0) return '';
  let path = target.slice(0, end);
  if (upper && !rules.caseSensitive) path = path.toLowerCase();
  if (firstDot >= 0) {
    path = withoutExtension(path, rules);
    if (path.endsWith('.')) return undefined;
  }
  // Mostly not even as long as one, and need not be cut off to be looked up.
  const isAsLong = isIndexLength[path.length - lastSlash - 1] === true;
  return isAsLong && indexBases.has(path.slice(lastSlash + 1)) ? undefined : path;
}

/** Small letters, digits, `-` and `_` of ASCII. */
const isPlainSign = new Uint8Array(128);
for (const sign of 'abcdefghijklmnopqrstuvwxyz0123456789-_') isPlainSign[sign.charCodeAt(0)] = 1;

/** How a site's targets are read. */
interface Reading {
  readonly rules: PlaceRules;
  readonly indexFiles: ReadonlySet<string>;
  readonly indexBases: ReadonlySet<string>;
  readonly asPlace: boolean;
}

function readCarefully(target: string, reading: Reading): Canonical {
  const { rules, asPlace } = reading;
  const normal = normalTarget(target);
  if (!normal.ok) return normal;
  const parts = readParts(normal.target.split('?', 1)[0] ?? '/', rules);
  if (!Array.isArray(parts)) return parts;

  const readings = new Set<string>();
  for (const variant of variantsOf(parts, asPlace)) {
    const names = namesOf(variant);
    if (!Array.isArray(names)) return names;
    addReadings(names, readings, reading);
    if (readings.size > maxReadings) return refuse('too-many-readings');
  }
  return { ok: true, readings: [...readings] };
}

/**
 * The parts, decoded and folded, empty ones kept. Folded before they are cut any further: folding
 * makes separators of their look-alikes, such as the Greek question mark (U+037E), which is a `;`.
 */
function readParts(path: string, rules: PlaceRules): string[] | Canonical {
  const raw = path.slice(1).split('/');
  if (raw.length > maxParts) return refuse('too-many-parts');
  const parts: string[] = [];
  for (const part of raw) {
    let text: string;
    try {
      text = decodeURIComponent(part);
    } catch {
      return refuse('bad-encoding'); // also invalid and overlong UTF-8, and lone surrogates
    }
    if (/[\x00-\x1f\x7f-\x9f]/.test(text)) return refuse('control-character');
    if (/%[0-9a-f]{2}/i.test(text)) return refuse('double-encoding');
    const folded = foldPart(text, rules.caseSensitive);
    if (folded.includes('\\')) return refuse('backslash');
    if (folded.includes('/') && !text.includes('/')) return refuse('backslash');
    if (folded.includes(':$')) return refuse('stream-name');
    parts.push(folded);
  }
  return parts;
}

/**
 * The ways in which servers cut the same decoded parts: an encoded slash as a slash or as a
 * letter; path parameters (`;x`, RFC 3986 section 3.3) kept, dropped, or ending the whole path; an
 * encoded `?` or `#` ending the path or not; a `+` as itself or as a space, as forms write it; two
 * slashes at the start as one, or as the mark of a host name.
 */
function variantsOf(parts: readonly string[], asPlace: boolean): string[][] {
  let variants: string[][] = [[...parts]];
  const also = (...changes: ((variant: string[]) => string[] | undefined)[]) => {
    variants = variants.flatMap((variant) => [
      variant,
      ...changes.flatMap((change) => {
        const changed = change(variant);
        return changed === undefined ? [] : [changed];
      }),
    ]);
  };
  const some = (variant: string[], sign: string) => variant.some((part) => part.includes(sign));

  also((variant) => (some(variant, '/') ? variant.flatMap((part) => part.split('/')) : undefined));
  // Twice, as what one program leaves over may begin with two slashes again for the next.
  also(withoutHost);
  also(withoutHost);
  also((variant) => cutAt(variant, /[?#]/));
  also(
    (variant) => (some(variant, ';') ? variant.map((part) => part.split(';', 1)[0] ?? '') : undefined),
    (variant) => cutAt(variant, /;/),
  );
  also((variant) => (!asPlace && some(variant, '+') ? variant.map((part) => part.replaceAll('+', ' ')) : undefined));
  // And once what was cut off left two slashes at the start.
  also(withoutHost);
  return variants;
}

/** The parts behind what two slashes at the start make a host; undefined where there are none. */
function withoutHost(variant: readonly string[]): string[] | undefined {
  if (variant[0] !== '' || variant.length === 1) return undefined;
  const host = variant.findIndex((part) => part !== '');
  return host < 0 ? undefined : variant.slice(host + 1);
}

/** The parts up to a sign; undefined where it is in none. */
function cutAt(variant: readonly string[], sign: RegExp): string[] | undefined {
  const at = variant.findIndex((part) => sign.test(part));
  if (at < 0) return undefined;
  const part = variant[at] ?? '';
  return [...variant.slice(0, at), part.slice(0, part.search(sign))];
}

/** The parts as names: empty ones gone; refused if one is `..` or so. */
function namesOf(variant: readonly string[]): string[] | Canonical {
  const names: string[] = [];
  for (const part of variant) {
    if (part === '') continue;
    if (part.split('/').some(isDots)) return refuse('dot-segment');
    const name = withoutEnd(part);
    if (name === '') return refuse('dot-segment');
    names.push(name.replaceAll('/', '%2f'));
  }
  return names;
}

/** Whether a name, up to its parameters, is nothing but dots and spaces. */
const isDots = (name: string) => {
  const plain = name.split(';', 1)[0] ?? '';
  return plain !== '' && withoutEnd(plain) === '';
};

/**
 * A name without the spaces around it and the dots at its end, as some programs drop them. By hand,
 * as a regular expression would look for the end from each of them.
 */
function withoutEnd(name: string): string {
  let end = name.length;
  while (end > 0 && isDotOrSpace(name, end - 1)) end--;
  const kept = end === name.length ? name : name.slice(0, end);
  return kept.trimStart();
}

const isDotOrSpace = (name: string, at: number) => {
  const code = name.charCodeAt(at);
  return code === dot || code === space || (code > 127 && name.charAt(at).trim() === '');
};

/**
 * Adds the canonical path of the parts and of what they could mean besides: `/about.html/more` is
 * answered by about.html where a server hands it the rest as path info, as it is by any file with an
 * ending (`/cgi-bin/report.py/more`), and `/press/index` is the front page of /press to one server
 * and a page of its own to another.
 */
function addReadings(
  parts: readonly string[],
  readings: Set<string>,
  { rules, indexFiles, indexBases, asPlace }: Reading,
): void {
  const bare = parts.map((part) => bareName(part, rules));
  for (let length = parts.length; length >= 0; length--) {
    const last = parts[length - 1];
    const isFile =
      last !== undefined && (indexFiles.has(last) || bare[length - 1] !== last || (!asPlace && hasEnding(last)));
    if (length < parts.length && !isFile) continue;
    for (let kept = length; ; kept--) {
      if (indexFiles.has(parts[kept - 1] ?? '')) continue;
      readings.add(bare.slice(0, kept).reduce((path, part) => `${path}/${part}`, ''));
      if (readings.size > maxReadings) return;
      if (kept === 0 || !indexBases.has(bare[kept - 1] ?? '')) break;
    }
  }
}

/** A name without its ending, and without the dots and spaces that stood before that. */
function bareName(name: string, rules: PlaceRules): string {
  for (let bare = name; ;) {
    const shorter = withoutExtension(bare, rules);
    const kept = withoutEnd(shorter);
    if (shorter === bare || kept === '') return bare;
    bare = kept;
  }
}

/** Whether a name has an ending, so that it may be a file: a dot with something before and behind. */
const hasEnding = (name: string) => name.lastIndexOf('.') > 0;

function refuse(refusal: Refusal): Canonical {
  return { ok: false, refusal };
}
