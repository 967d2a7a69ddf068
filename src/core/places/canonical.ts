import { foldPart, foldRules, withoutExtension, type PlaceRules } from './fold.js';

/** Why a request target cannot be read for certain. The guard answers such a target with 400. */
export type Refusal =
  | 'not-a-path'
  | 'too-long'
  | 'too-many-parts'
  | 'control-character'
  | 'backslash'
  | 'raw-non-ascii'
  | 'fragment'
  | 'bad-encoding'
  | 'double-encoding'
  | 'dot-segment'
  | 'stream-name'
  | 'too-many-readings';

/**
 * What a request target may mean. A reading is a canonical path: folded, without query, with one
 * slash between parts and none at the end, index file and extension dropped; the start page is
 * the empty string. Servers disagree about some spellings, so there can be several readings, and
 * a visitor must be let in by *every* one. The plainest comes first.
 */
export type Canonical =
  | { readonly ok: true; readonly readings: readonly string[] }
  | { readonly ok: false; readonly refusal: Refusal };

/** Longest path that is read, in UTF-16 code units, before the query. */
export const maxPathLength = 4096;
/** Most path parts that are read. */
export const maxParts = 128;
/** Most readings of one target; more is no honest address. */
const maxReadings = 32;

const slash = 47;
const dot = 46;
const question = 63;

/**
 * Makes the reader of request targets for one site.
 *
 * The reader takes a request target as it arrived (RFC 9112 section 3.2: origin-form or
 * absolute-form) and answers with its readings or a refusal. It never throws.
 */
export function targetReader(siteRules: PlaceRules): (target: string) => Canonical {
  const rules = foldRules(siteRules);
  const indexFiles = new Set(rules.indexFiles);
  const indexBases = new Set(rules.indexFiles.map((file) => withoutExtension(file, rules)));
  return (target) => {
    const plain = readPlain(target, rules, indexBases);
    return plain === undefined
      ? readCarefully(target, rules, indexFiles, indexBases)
      : { ok: true, readings: [plain] };
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
): string | undefined {
  if (target.charCodeAt(0) !== slash || target.length > maxPathLength) return undefined;
  let end = target.length;
  let lastSlash = 0;
  let firstDot = -1;
  let upper = false;
  let parts = 0;
  for (let at = 1; at < end; at++) {
    const code = target.charCodeAt(at);
    if ((code >= 97 && code <= 122) || (code >= 48 && code <= 57) || code === 45 || code === 95) {
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
  if (target.charCodeAt(end - 1) === dot) return undefined;
  if (lastSlash === end - 1) {
    if (firstDot >= 0) return undefined;
    end = lastSlash;
    lastSlash = target.lastIndexOf('/', end - 1);
  }
  if (end <= 0) return '';
  let path = target.slice(0, end);
  if (upper && !rules.caseSensitive) path = path.toLowerCase();
  if (firstDot >= 0) path = withoutExtension(path, rules);
  if (indexBases.has(path.slice(lastSlash + 1))) return undefined;
  return path;
}

function readCarefully(
  target: string,
  rules: PlaceRules,
  indexFiles: ReadonlySet<string>,
  indexBases: ReadonlySet<string>,
): Canonical {
  const path = pathOf(target);
  if (typeof path !== 'string') return path;
  const parts = decodeParts(path);
  if (!Array.isArray(parts)) return parts;

  const readings = new Set<string>();
  for (const variant of variantsOf(parts)) {
    const folded = foldParts(variant, rules);
    if (!Array.isArray(folded)) return folded;
    addReadings(folded, readings, rules, indexFiles, indexBases);
    if (readings.size > maxReadings) return refuse('too-many-readings');
  }
  return { ok: true, readings: [...readings] };
}

/** The path of a target without query; a refusal where it holds what no honest client sends. */
function pathOf(target: string): string | Canonical {
  const authority = /^[a-z][a-z0-9+.-]*:\/\/[^/?#\\]*/i.exec(target);
  const rest = authority === null ? target : target.slice(authority[0].length) || '/';
  const query = rest.indexOf('?');
  const path = query < 0 ? rest : rest.slice(0, query) || '/';
  if (path.includes('#')) return refuse('fragment');
  if (!path.startsWith('/')) return refuse('not-a-path');
  if (path.length > maxPathLength) return refuse('too-long');
  if (path.includes('\\')) return refuse('backslash');
  if (/[\x00-\x20\x7f]/.test(path)) return refuse('control-character');
  // RFC 3986 section 2: what is not ASCII is sent percent-encoded.
  if (/[^\x00-\x7f]/.test(path)) return refuse('raw-non-ascii');
  return path;
}

/** The percent-decoded parts, empty ones kept. */
function decodeParts(path: string): string[] | Canonical {
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
    if (text.includes('\\')) return refuse('backslash');
    if (/%[0-9a-f]{2}/i.test(text)) return refuse('double-encoding');
    parts.push(text);
  }
  return parts;
}

/**
 * The ways in which servers cut the same decoded parts: an encoded slash as a slash or as a
 * letter; path parameters (`;x`, RFC 3986 section 3.3) kept or dropped; an encoded `?` or `#`
 * ending the path or not; two slashes at the start as one, or as the mark of a host name.
 */
function variantsOf(parts: readonly string[]): string[][] {
  let variants: string[][] = [[...parts]];
  const also = (change: (variant: string[]) => string[] | undefined) => {
    variants = variants.flatMap((variant) => {
      const changed = change(variant);
      return changed === undefined ? [variant] : [variant, changed];
    });
  };
  const some = (variant: string[], sign: string) => variant.some((part) => part.includes(sign));

  also((variant) => {
    if (variant[0] !== '' || variant.length === 1) return undefined;
    const host = variant.findIndex((part) => part !== '');
    return host < 0 ? undefined : variant.slice(host + 1);
  });
  also((variant) => (some(variant, '/') ? variant.flatMap((part) => part.split('/')) : undefined));
  also((variant) => {
    const at = variant.findIndex((part) => /[?#]/.test(part));
    if (at < 0) return undefined;
    return [...variant.slice(0, at), (variant[at] ?? '').replace(/[?#].*$/s, '')];
  });
  also((variant) =>
    some(variant, ';') ? variant.map((part) => part.replace(/;.*$/s, '')) : undefined,
  );
  return variants;
}

/** The parts as they are compared: empty ones gone, each folded; refused if a part is `..` or so. */
function foldParts(variant: readonly string[], rules: PlaceRules): string[] | Canonical {
  const folded: string[] = [];
  for (const part of variant) {
    if (part === '') continue;
    const text = foldPart(part, rules.caseSensitive);
    // Folding can bring forth a separator from a full-width look-alike.
    if (text.includes('\\')) return refuse('backslash');
    if (text.includes('/') && !part.includes('/')) return refuse('backslash');
    if (text.includes('::$')) return refuse('stream-name');
    if (/(^|\/)\.{1,2}[. ]*(?=[;/]|$)/.test(text)) return refuse('dot-segment');
    // Some file systems drop dots and spaces at the end of a name.
    const trimmed = text.replace(/[. ]+$/, '');
    if (trimmed === '') return refuse('dot-segment');
    folded.push(trimmed.replaceAll('/', '%2f'));
  }
  return folded;
}

/**
 * Adds the canonical path of the parts and of what they could mean besides: `/about.html/more` is
 * answered by about.html where a server hands it the rest as path info, and `/press/index` is the
 * front page of /press to one server and a page of its own to another.
 */
function addReadings(
  parts: readonly string[],
  readings: Set<string>,
  rules: PlaceRules,
  indexFiles: ReadonlySet<string>,
  indexBases: ReadonlySet<string>,
): void {
  const bare = parts.map((part) => withoutExtension(part, rules));
  for (let length = parts.length; length >= 0; length--) {
    const last = parts[length - 1];
    const isPathInfo = last !== undefined && (indexFiles.has(last) || bare[length - 1] !== last);
    if (length < parts.length && !isPathInfo) continue;
    for (let kept = length; ; kept--) {
      if (indexFiles.has(parts[kept - 1] ?? '')) continue;
      readings.add(bare.slice(0, kept).reduce((path, part) => `${path}/${part}`, ''));
      if (readings.size > maxReadings) return;
      if (kept === 0 || !indexBases.has(bare[kept - 1] ?? '')) break;
    }
  }
}

function refuse(refusal: Refusal): Canonical {
  return { ok: false, refusal };
}
