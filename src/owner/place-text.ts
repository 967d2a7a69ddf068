import { closest, distance } from 'fastest-levenshtein';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { readPageFacts } from '../core/check/page-facts.js';
import { DorlinError } from '../core/errors.js';
import { coverIndex } from '../core/places/cover-index.js';
import type { Place } from '../core/places/place.js';
import type { Policy } from '../core/policy/types.js';
import { decodeHtml } from '../core/sections/charset.js';
import { targetOf } from '../server/site-files.js';
import { filesOfSite, siteFolder } from './site-files.js';

/** Hosts by which owners look at their own site before it is live. */
const isThisMachine = (host: string) => /^(?:localhost|127\.\d+\.\d+\.\d+|\[::1\])$/.test(host);

/**
 * A path as it is, and a whole address, pasted from a browser, as the path of the site that it is.
 * @throws DorlinError `place-invalid` for an address of another site
 */
export function pathOfAddress({ site }: Policy, text: string): string {
  if (!/^https?:\/\//i.test(text)) return text;
  const url = URL.canParse(text) ? new URL(text) : undefined;
  if (url === undefined) throw new DorlinError('place-invalid', `\`${text}\` is no address.`);
  const isOurs = site.origin === undefined || url.origin === new URL(site.origin).origin || isThisMachine(url.hostname);
  if (!isOurs) {
    throw new DorlinError('place-invalid', `\`${text}\` is not on ${site.origin ?? 'this site'}.`, {
      mend: 'Name a page of this site; if the site lives there now, say so with `dorlin site --origin`.',
    });
  }
  // What stands behind `?` is no part of a place: a page is locked with all its queries.
  const path = url.pathname + url.hash;
  try {
    return decodeURI(path);
  } catch {
    return path;
  }
}

/** @throws DorlinError `place-invalid` */
export function parsedPlace(policy: Policy, text: string): Place {
  const path = pathOfAddress(policy, text);
  const result = policy.parsePlace(path);
  if (result.ok) return result.place;
  throw new DorlinError('place-invalid', `\`${text}\`: ${result.problem}.`);
}

/** Whether two places are the same, however each is spelled. */
export function isSamePlace(one: Place, other: Place): boolean {
  if (one.kind !== other.kind) return false;
  if (one.kind === 'section' && other.kind === 'section' && one.id !== other.id) return false;
  return 'path' in one && 'path' in other ? one.path === other.path : one.text === other.text;
}

/**
 * Refuses places under which no file of the site lies, where its files are at hand.
 *
 * @throws DorlinError `place-empty`, naming what may have been meant
 */
export async function refuseEmptyPlaces(policyFile: string, policy: Policy, places: readonly Place[]): Promise<void> {
  if (policy.site.folder === undefined) return;
  const paths = await filesOfSite(policyFile, policy).catch(() => undefined);
  if (paths === undefined) return;
  // The lock may be off, and then the policy's own index has nothing of it.
  const index = coverIndex(places.map((place) => ({ lock: place, says: 'covers', place })));
  const reached = new Set<Place>();
  for (const path of paths) {
    const read = policy.read(targetOf(path));
    for (const reading of read.ok ? read.readings : []) {
      for (const { place } of index.statements(reading)) reached.add(place);
      for (const place of places) {
        if (place.kind === 'section' && place.path === reading) reached.add(place);
      }
    }
  }
  for (const place of places) {
    if (!reached.has(place)) throw emptyPlace(policy, place, paths);
    if (place.kind === 'section') await refuseMissingSection(policyFile, policy, place, paths);
  }
}

function emptyPlace(policy: Policy, { text }: Place, paths: readonly string[]): DorlinError {
  const near = nearestPlace(policy, text, paths);
  const hint = near === undefined ? '' : ` Did you mean \`${near}\`?`;
  return new DorlinError('place-empty', `Nothing lies at \`${text}\`: no file of the site does.${hint}`);
}

/** The place of a file that is spelled most like one that is not there. */
function nearestPlace({ site }: Policy, text: string, paths: readonly string[]): string | undefined {
  const known = new Set<string>();
  for (const path of paths) {
    const end = site.extensions.find((one) => path.endsWith(one)) ?? '';
    const name = path.slice(path.lastIndexOf('/') + 1);
    if (!site.indexFiles.includes(name)) known.add(path.slice(0, path.length - end.length));
    for (let at = path.indexOf('/', 1); at > 0; at = path.indexOf('/', at + 1)) {
      known.add(path.slice(0, at + 1));
    }
  }
  if (known.size === 0) return undefined;
  const [page, id] = text.split('#', 2) as [string, string?];
  const near = closest(page, [...known]);
  const isNear = near !== page && distance(page, near) <= Math.max(2, page.length / 3);
  return isNear ? near + (id === undefined ? '' : `#${id}`) : undefined;
}

/** A section of which the page has no element. */
async function refuseMissingSection(
  policyFile: string,
  policy: Policy,
  section: Place & { readonly kind: 'section' },
  paths: readonly string[],
): Promise<void> {
  const path = paths.find((one) => {
    const read = policy.read(targetOf(one));
    return read.ok && read.readings.includes(section.path);
  });
  if (path === undefined) return;
  const bytes = await readFile(join(siteFolder(policyFile, policy), path)).catch(() => undefined);
  if (bytes === undefined) return;
  const { ids } = readPageFacts(decodeHtml(bytes, '') ?? '', `http://site.invalid${targetOf(path)}`);
  if (ids.has(section.id)) return;
  const near = ids.size === 0 ? undefined : closest(section.id, [...ids]);
  const hint = near === undefined ? 'It has no element with an id.' : `Did you mean \`#${near}\`?`;
  throw new DorlinError('place-empty', `${path} has no element with the id \`${section.id}\`. ${hint}`);
}
