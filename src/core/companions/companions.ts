import { maxReadings, partsReader, type Canonical, type Companion } from '../places/canonical.js';
import type { PlaceRules } from '../places/fold.js';
import { companionEndings, companionKinds, mostUnderscores, type Parts } from './table.js';

/** A companion may have companions of its own: `/members.data.gz`. */
const maxDepth = 4;

/** Most companions of one address; more is no honest address. */
const maxCompanions = 2 * 2 ** mostUnderscores + maxReadings;

const tooMany: Canonical = { ok: false, refusal: 'too-many-readings' };

/**
 * Adds to a reader of request targets the pages and files whose content an address sends, though they have
 * addresses of their own: page data of web frameworks, optimized pictures, packed twins. It does not matter
 * which program is behind the guard: to read more only locks more.
 */
export function readingCompanions(
  read: (target: string) => Canonical,
  rules: PlaceRules,
): (target: string) => Canonical {
  const readParts = partsReader(rules);
  return (target) => {
    const canonical = read(target);
    if (!canonical.ok || !canonical.readings.some(mayBeCompanion)) return canonical;
    const found = new Map<string, Companion>();
    const own = new Set(canonical.readings);
    const add = (kind: string, isTwin: boolean, readings: Iterable<string>) => {
      const added: string[] = [];
      for (const reading of readings) {
        const before = found.get(reading);
        if (own.has(reading) || (before !== undefined && (isTwin || !before.isTwin))) continue;
        found.set(reading, {
          kind: before?.kind ?? kind,
          reading,
          isTwin,
          isWhole: (before?.kind ?? kind) !== 'format',
        });
        added.push(reading);
      }
      return added;
    };
    let from = canonical.readings.map((reading) => ({ reading, isTwin: true }));
    for (let depth = 0; from.length > 0; depth++) {
      if (depth > maxDepth || found.size > maxCompanions) return tooMany;
      const next: typeof from = [];
      for (const { reading, isTwin: isTwinSoFar } of from) {
        const parts = partsOf(reading);
        for (const { name, pagesOf, isByQuery } of companionKinds) {
          const keep = (isTwin: boolean, readings: Iterable<string>) => {
            for (const one of add(name, isTwin, readings)) next.push({ reading: one, isTwin });
          };
          const pages = pagesOf?.(parts) ?? [];
          if (pages === 'too-many' || found.size > maxCompanions) return tooMany;
          for (const page of pages) {
            keep(isTwinSoFar && isTwinOf(page, parts), readParts(page));
          }
          if (isByQuery?.(parts) !== true) continue;
          const files = filesNamedIn(target);
          if (files.size > maxReadings) return tooMany;
          for (const path of files) {
            const file = read(path);
            if (!file.ok) return file;
            keep(false, file.readings);
          }
        }
      }
      from = next;
    }
    return found.size === 0 ? canonical : { ...canonical, companions: [...found.values()] };
  };
}

/** Whether an address is a page's own, with one more ending: `/members.txt` of `/members`. */
const isTwinOf = (page: Parts, parts: Parts) =>
  page.length === parts.length && (parts.at(-1) ?? '').startsWith(`${page.at(-1) ?? ''}.`);

const partsOf = (reading: string) => (reading === '' ? [] : reading.slice(1).split('/'));

/** Whether an address may be of any kind, by its ending or by a folder that frameworks use. */
function mayBeCompanion(reading: string): boolean {
  const dot = reading.lastIndexOf('.');
  if (dot > reading.lastIndexOf('/') && companionEndings.has(reading.slice(dot + 1))) return true;
  return /\/_|\.segments(?:\/|$)|\/cdn-cgi\/|\/\.netlify\//.test(reading);
}

/** Names by which optimizers are told their file. */
const fileKeys = /^(?:url|href|src|path|file|image|img)$/i;

/** A value is read as it is, and decoded again as often as programs are known to do that. */
const mostDecoded = 3;

/** The paths of the files that a query names: dots resolved as URL parsers do (URL standard section 4.4). */
function filesNamedIn(target: string): ReadonlySet<string> {
  const query = target.slice(target.indexOf('?') + 1);
  const paths = new Set<string>();
  if (query.length === target.length) return paths;
  for (const [key, given] of new URLSearchParams(query)) {
    if (!fileKeys.test(key) || paths.size > maxReadings) continue;
    let value = given;
    for (let count = 0; count < mostDecoded; count++) {
      for (const one of [value, value.split('#', 1)[0] ?? '']) {
        const path = pathIn(one);
        if (path !== undefined) paths.add(path);
      }
      const decoded = decodedOnce(value);
      if (decoded === undefined || decoded === value) break;
      value = decoded;
    }
  }
  return paths;
}

/** Whatever its host: what a host name leads to is not known here. */
function pathIn(value: string): string | undefined {
  try {
    const { protocol, pathname } = new URL(value.replaceAll('\\', '/').trim(), 'http://site.invalid/');
    return /^https?:$/.test(protocol) ? pathname : undefined;
  } catch {
    return undefined;
  }
}

function decodedOnce(value: string): string | undefined {
  try {
    return decodeURIComponent(value);
  } catch {
    return undefined;
  }
}

/** Addresses that would send the content of a page or a file, for whoever looks whether they are locked. */
export const companionSamples = (path: string): readonly { readonly kind: string; readonly address: string }[] =>
  companionKinds.flatMap(({ name, samplesOf }) => samplesOf(path).map((address) => ({ kind: name, address })));
