import type { Policy } from '../core/policy/types.js';
import { accessOfStranger } from '../core/access.js';
import { reviewPolicies, type Review } from '../core/policy/review.js';
import { targetOf } from '../server/site-files.js';
import { filesOfSite } from './site-pages.js';
import { counted, listed, paint, print } from './output.js';

/** The addresses of the sections that a policy names. */
export function sectionsOf({ locks }: Policy): string[] {
  return [...locks.values()].flatMap(({ covers }) =>
    covers.flatMap((place) => (place.kind === 'section' ? encodeURI(place.text) : [])),
  );
}

/** The addresses a change is judged by: the site's files, where they are at hand, and these. */
export async function knownTargets(
  policyFile: string,
  policy: Policy,
  places: readonly string[],
): Promise<string[]> {
  const files =
    policy.site.folder === undefined ? [] : await filesOfSite(policyFile, policy).catch(() => []);
  const plain = places.filter((place) => !place.includes('*')).map((place) => encodeURI(place));
  const sections = sectionsOf(policy);
  const readings = new Set<string>();
  // A page and its index file are one: count and name it once, the file's spelling first.
  return [...files.map(targetOf), ...plain, ...sections].filter((target) => {
    const read = policy.read(target);
    const reading = read.ok ? (read.readings[0] ?? '') : target;
    return readings.has(reading) ? false : readings.add(reading);
  });
}

/** What a change opened and closed for strangers, and what stays shut. */
export interface Change extends Review {
  /** Those of the named places that are still shut, and by which locks. */
  readonly stillShut: readonly { readonly place: string; readonly locks: readonly string[] }[];
}

export async function changeBetween(
  policyFile: string,
  { before, after }: { readonly before: Policy; readonly after: Policy },
  places: readonly string[],
): Promise<Change> {
  const now = Date.now() / 1000;
  const review = reviewPolicies(before, after, await knownTargets(policyFile, after, places), now);
  const stillShut = places.flatMap((place) => {
    if (place.includes('*')) return [];
    const standing = accessOfStranger(after, encodeURI(place), now);
    return standing.open ? [] : [{ place, locks: standing.locks }];
  });
  return { ...review, stillShut };
}

const shownAtMost = 12;

const headings = { closed: 'Closed', opened: 'Opened', moved: 'Under another lock' } as const;
const colors = { closed: paint.red, opened: paint.green, moved: (text: string) => text };

/** Says in words what opened and what closed for strangers, and who gets in now. */
export function printChange({ groups, ways, ...review }: Review): void {
  if (groups.length === 0) print('Nothing opened and nothing closed for strangers.');
  for (const change of ['closed', 'opened', 'moved'] as const) {
    const these = groups.filter((group) => group.change === change);
    if (these.length === 0) continue;
    const count = counted(review[change].length, 'address', 'addresses');
    print(`${colors[change](headings[change])}: ${count}`);
    for (const { before, after, places } of these) {
      print(`  ${paint.dim(underWords(change, before, after))}`);
      for (const { place, addresses } of places.slice(0, shownAtMost)) {
        const all = place.endsWith('/') && addresses > 1 ? paint.dim(`  all ${addresses.toLocaleString('en')} addresses in it`) : ''; // prettier-ignore
        print(`    ${decodeURI(place)}${all}`);
      }
      if (places.length > shownAtMost) print(`    and ${places.length - shownAtMost} more`);
    }
  }
  if (ways.length > 0) print();
  for (const { change, lock, kind, label } of ways) {
    print(`${paint.bold(lock)}: the ${kind} “${label}” ${happened[change]}`);
  }
}

const happened = {
  added: 'opens it now',
  changed: 'was changed',
  ended: 'no longer opens it',
} as const;

function underWords(
  change: keyof typeof headings,
  before: readonly string[],
  after: readonly string[],
): string {
  const names = (locks: readonly string[]) => listed(locks.map((lock) => lock || 'an address that cannot be read')); // prettier-ignore
  if (change === 'closed') return `by ${names(after)}`;
  if (change === 'opened') return `was shut by ${names(before)}`;
  return `by ${names(after)}, was by ${names(before)}`;
}

/** `still shut by members and opening`. */
export function shutBy(locks: readonly string[]): string {
  return `still shut by ${listed(locks)}`;
}
