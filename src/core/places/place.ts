import type { Canonical } from './canonical.js';
import { foldPart, withoutExtension, type PlaceRules } from './fold.js';

/** A place as the policy writes it, in the form in which it is looked up. */
export type Place =
  | { readonly kind: 'site'; readonly text: string }
  /** `path` is canonical, as {@link Canonical} says. */
  | { readonly kind: 'page' | 'folder'; readonly text: string; readonly path: string }
  /** The element of the page that has this id. */
  | {
      readonly kind: 'section';
      readonly text: string;
      readonly path: string;
      readonly id: string;
    }
  | {
      readonly kind: 'page-pattern' | 'folder-pattern';
      readonly text: string;
      readonly parts: readonly PatternPart[];
    };

/** One part of a pattern: any parts (`**`), or one part made of literal runs with `*` between. */
export type PatternPart = { readonly anyParts: true } | { readonly runs: readonly string[] };

/** A place, or what is wrong with it and how to write it instead. */
export type ParsedPlace =
  { readonly ok: true; readonly place: Place } | { readonly ok: false; readonly problem: string };

/**
 * Reads a place as FORMAT writes them: `/about` a page, `/press/` a folder, `/` the whole site,
 * `/events#night-walk` a section,
 * `*` any run of characters in one part, `**` any parts.
 *
 * @param text - the place as written in the policy or on the command line
 * @param read - the site's target reader, for places
 * @param rules - the site's rules, folded
 */
export function parsePlace(text: string, read: (target: string) => Canonical, rules: PlaceRules): ParsedPlace {
  if (text === '/') return { ok: true, place: { kind: 'site', text } };
  if (!text.startsWith('/')) {
    return bad(`a place begins with a slash: write \`/${text.replace(/^\.?\/*/, '')}\``);
  }
  const hash = text.indexOf('#');
  if (hash >= 0) return parseSection(text.slice(0, hash), text.slice(hash + 1), read, rules);
  if (text.includes('?')) return bad('a place has no query: leave out `?` and what follows');
  if (text.includes('*')) return parsePattern(text, rules);

  // Owners write places as people read them; spaces and accents are encoded here, not refused.
  const canonical = read(encodeURI(text.toWellFormed()).replaceAll('%25', '%'));
  if (!canonical.ok) return bad(`it cannot be read for certain (${canonical.refusal})`);
  const [path, ...others] = canonical.readings;
  if (path === undefined || others.length > 0) {
    const ways = canonical.readings.map((reading) => `\`${reading || '/index.html'}\``);
    return bad(`it can be read in several ways, ${ways.join(' and ')}: write the one you mean`);
  }
  if (text.endsWith('/')) {
    return path === ''
      ? { ok: true, place: { kind: 'site', text } }
      : { ok: true, place: { kind: 'folder', text, path } };
  }
  return { ok: true, place: { kind: 'page', text, path } };
}

function parseSection(page: string, id: string, read: (target: string) => Canonical, rules: PlaceRules): ParsedPlace {
  if (id === '' || /\s/.test(id)) {
    return bad('behind `#` stands the id of an element, without spaces: `/events#night-walk`');
  }
  // The front page of a folder is `/press/#desk`; the folder itself has no sections.
  const trimmed = page === '/' ? '/index.html' : page.replace(/\/$/, '');
  const parsed = parsePlace(trimmed, read, rules);
  if (!parsed.ok) return parsed;
  if (parsed.place.kind !== 'page') return bad('a section is of one page, not of several');
  return {
    ok: true,
    place: { kind: 'section', text: `${page}#${id}`, path: parsed.place.path, id },
  };
}

function parsePattern(text: string, rules: PlaceRules): ParsedPlace {
  const isFolder = text.endsWith('/');
  const names = text.split('/').filter((name) => name !== '');
  const parts: PatternPart[] = [];
  for (const name of names) {
    if (name === '**') {
      parts.push({ anyParts: true });
      continue;
    }
    if (name.includes('**')) return bad('`**` stands for whole parts: write `/**/` between slashes');
    const folded = foldPart(name, rules.caseSensitive);
    if (/[\\%;\x00-\x1f\x7f]/.test(folded) || /^\.+$/.test(folded)) {
      return bad(`the part \`${name}\` has a character that a pattern cannot have`);
    }
    if (withoutExtension(folded, rules) !== folded || rules.indexFiles.includes(folded)) {
      return bad(`pages are compared without their ending: leave it out of \`${name}\``);
    }
    parts.push({ runs: folded.split('*') });
  }
  if (parts.every((part) => 'anyParts' in part)) {
    return bad('this would be the whole site: write `/`');
  }
  return {
    ok: true,
    place: { kind: isFolder ? 'folder-pattern' : 'page-pattern', text, parts },
  };
}

/**
 * How many parts of the path a pattern takes up: all of them for a page pattern, the longest
 * front for a folder pattern; undefined where it does not match.
 */
export function matchPattern(
  pattern: readonly PatternPart[],
  path: readonly string[],
  isFolder: boolean,
): number | undefined {
  // reachable[n]: the pattern so far can have taken up exactly n parts. Linear per pattern part,
  // so that no pattern makes matching slow.
  let reachable = path.map(() => false);
  reachable.unshift(true);
  for (const part of pattern) {
    const next = reachable.map(() => false);
    reachable.forEach((is, taken) => {
      if (!is) return;
      if ('anyParts' in part) next.fill(true, taken);
      else if (taken < path.length && matchRuns(part.runs, path[taken] ?? '')) {
        next[taken + 1] = true;
      }
    });
    reachable = next;
  }
  if (!isFolder) return reachable[path.length] === true ? path.length : undefined;
  const longest = reachable.lastIndexOf(true);
  return longest < 0 ? undefined : longest;
}

/** Whether a name is the runs in order with anything between; no backtracking is needed for `*`. */
function matchRuns(runs: readonly string[], name: string): boolean {
  const first = runs[0] ?? '';
  if (runs.length === 1) return name === first;
  const last = runs.at(-1) ?? '';
  if (name.length < first.length + last.length) return false;
  if (!name.startsWith(first) || !name.endsWith(last)) return false;
  let at = first.length;
  const end = name.length - last.length;
  for (const run of runs.slice(1, -1)) {
    const found = name.indexOf(run, at);
    if (found < 0 || found + run.length > end) return false;
    at = found + run.length;
  }
  return true;
}

function bad(problem: string): ParsedPlace {
  return { ok: false, problem };
}
