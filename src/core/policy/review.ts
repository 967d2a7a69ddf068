import { accessOfStranger, type Access } from '../access.js';
import { audienceOf } from '../passes/pass.js';
import type { Policy } from './types.js';

/** What a changed policy does to strangers. Addresses are in the order in which they were given. */
export interface Review {
  /** Shut before, open now. */
  readonly opened: readonly string[];
  /** Open before, shut now. */
  readonly closed: readonly string[];
  /** Shut before and now, but by another lock. */
  readonly moved: readonly string[];
  /** The same, put together by what happens to them. */
  readonly groups: readonly ReviewGroup[];
  /** What opens locks now and did not, or did and does not. */
  readonly ways: readonly ReviewWay[];
  /** Whether every pass and entry link ends: they would be bound to another site. */
  readonly putsOut: boolean;
}

/** Addresses to which the same happens. */
export interface ReviewGroup {
  readonly change: 'opened' | 'closed' | 'moved';
  /** By which locks they were shut. */
  readonly before: readonly string[];
  /** By which they are now. */
  readonly after: readonly string[];
  readonly addresses: number;
  /** Folders of which every known address is among them, and what is left. */
  readonly places: readonly { readonly place: string; readonly addresses: number }[];
}

/** A password, an entry link or a bypass that came to a lock or went from it. */
export interface ReviewWay {
  readonly change: 'added' | 'ended' | 'changed';
  readonly lock: string;
  readonly kind: 'password' | 'link' | 'bypass';
  readonly label: string;
}

/** Compares what strangers get under two policies, address by address. */
export function reviewPolicies(before: Policy, after: Policy, targets: Iterable<string>, now: number): Review {
  const lists = { opened: [] as string[], closed: [] as string[], moved: [] as string[] };
  const known = [...new Set(targets)];
  const groups = new Map<string, Omit<ReviewGroup, 'addresses' | 'places'> & { list: string[] }>();
  for (const target of known) {
    const was = locksOf(accessOfStranger(before, target, now));
    const is = locksOf(accessOfStranger(after, target, now));
    if (was.join() === is.join()) continue;
    const change = is.length === 0 ? 'opened' : was.length === 0 ? 'closed' : 'moved';
    lists[change].push(target);
    const key = `${change} ${was.join()} ${is.join()}`;
    const group = groups.get(key) ?? { change, before: was, after: is, list: [] };
    group.list.push(target);
    groups.set(key, group);
  }
  return {
    ...lists,
    groups: [...groups.values()].map(({ list, ...group }) => ({
      ...group,
      addresses: list.length,
      places: folded(list, known),
    })),
    ways: changedWays(before, after),
    putsOut: audienceOf(before.site) !== audienceOf(after.site),
  };
}

/** The locks of a standing; what cannot be read at all is under a lock without a name. */
function locksOf(standing: Access): readonly string[] {
  if (standing.open) return [];
  return standing.locks.length === 0 ? [''] : standing.locks;
}

/** Fewer addresses in a folder are named one by one. */
const fewest = 3;

/** Puts folders in the place of addresses, where all that is known in them is among those. */
function folded(list: readonly string[], known: readonly string[]): ReviewGroup['places'] {
  const inFolder = (addresses: readonly string[]) => {
    const counts = new Map<string, number>();
    for (const address of addresses) {
      for (let at = address.indexOf('/'); at >= 0; at = address.indexOf('/', at + 1)) {
        const folder = address.slice(0, at + 1);
        counts.set(folder, (counts.get(folder) ?? 0) + 1);
      }
    }
    return counts;
  };
  const here = inFolder(list);
  const all = inFolder(known);
  const places = new Map<string, number>();
  for (const address of list) {
    let place = address;
    for (let at = address.indexOf('/'); at >= 0; at = address.indexOf('/', at + 1)) {
      const folder = address.slice(0, at + 1);
      const count = here.get(folder) ?? 0;
      if (count < fewest || count !== all.get(folder)) continue;
      place = folder;
      break;
    }
    places.set(place, (places.get(place) ?? 0) + 1);
  }
  return [...places].map(([place, addresses]) => ({ place, addresses }));
}

/** What opens the locks of two policies, and is not the same in both. */
function changedWays(before: Policy, after: Policy): ReviewWay[] {
  const was = waysOf(before);
  const is = waysOf(after);
  const changed = [...is].filter(([key, { mark }]) => was.has(key) && was.get(key)?.mark !== mark);
  const list = (ways: Iterable<readonly [string, Way]>, change: ReviewWay['change']) =>
    [...ways].map(([, { lock, kind, label }]) => ({ change, lock, kind, label }));
  return [
    ...list(
      [...is].filter(([key]) => !was.has(key)),
      'added',
    ),
    ...list(changed, 'changed'),
    ...list(
      [...was].filter(([key]) => !is.has(key)),
      'ended',
    ),
  ];
}

type Way = Omit<ReviewWay, 'change'> & { readonly mark: string };

function waysOf({ locks }: Policy): Map<string, Way> {
  const ways = new Map<string, Way>();
  for (const { name: lock, openers, links, bypasses } of locks.values()) {
    for (const { id, label, mark, window } of openers.values()) {
      const kind = links.some((link) => link.id === id) ? 'link' : 'password';
      ways.set(`${lock} ${id}`, { lock, kind, label, mark: mark + JSON.stringify(window) });
    }
    for (const bypass of bypasses) {
      const way = {
        lock,
        kind: 'bypass',
        label: bypass.name,
        mark: JSON.stringify(bypass),
      } as const;
      ways.set(`${lock} bypass ${bypass.name}`, way);
    }
  }
  return ways;
}
