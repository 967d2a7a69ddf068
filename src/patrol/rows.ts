import { patrolTable } from './finding-table.js';
import type { Seen } from './facts.js';
import type { Sample } from './samples.js';
import { closedTargets, roles, type Check, type Role, type Tour } from './tour.js';

/** What a role got at a place, all its addresses taken together. */
export interface Cell {
  readonly seen: Seen;
  readonly verdict: Check['verdict'];
  /** At how many addresses. */
  readonly addresses: number;
}

/** A place with what every role got at it. */
export interface Row {
  readonly place: string;
  readonly lock: string;
  /** How many addresses of it were found. */
  readonly addresses: number;
  readonly cells: Readonly<Partial<Record<Role, Cell>>>;
}

/** Places × roles, places in the order of the policy, what no lock covers last. */
export function rowsOf(tour: Tour, samples: readonly Sample[]): Row[] {
  const rows = new Map<string, { place: string; lock: string; checks: Check[]; found: Set<string> }>();
  const row = (place: string, lock: string) => {
    const key = `${lock}\n${place}`;
    const known = rows.get(key) ?? { place, lock, checks: [], found: new Set() };
    rows.set(key, known);
    return known;
  };
  const locks = tour.expectation?.policy.locks;
  for (const { place, lock } of placesInOrder(tour)) row(place, lock);
  for (const { target, of } of closedTargets(tour)) row(of.place, of.lock).found.add(target);
  for (const { place, lock, name } of samples) row(place, lock).found.add(name);
  for (const check of tour.checks) row(check.place, check.lock).checks.push(check);
  for (const { place, lock, code } of tour.findings.list()) {
    const { severity } = patrolTable[code];
    const isContent = severity === 'leak' && !row(place, lock).checks.some(({ verdict }) => verdict === 'leak');
    // What leaks elsewhere, a stranger has.
    if (isContent)
      row(place, lock).checks.push({ role: 'stranger', target: place, place, lock, seen: 'let in', verdict: 'leak' });
  }
  const list = [...rows.values()].map(({ place, lock, checks, found }): Row => {
    const cells = roles.flatMap((role) => {
      const cell = cellOf(checks.filter((check) => check.role === role));
      return cell === undefined ? [] : [[role, cell] as const];
    });
    const isElse = lock === '' && locks !== undefined;
    return { place, lock, addresses: isElse ? checks.length : found.size, cells: Object.fromEntries(cells) };
  });
  const isRest = ({ place }: Row) => (place === 'everything else' ? 1 : 0);
  return list.filter(({ cells }) => Object.keys(cells).length > 0).sort((one, other) => isRest(one) - isRest(other));
}

function* placesInOrder(tour: Tour): Iterable<{ place: string; lock: string }> {
  for (const lock of tour.expectation?.policy.locks.values() ?? []) {
    for (const place of lock.covers) yield { place: place.text, lock: lock.name };
  }
}

/** The worst of what was seen; of equals, what was seen most often. */
function cellOf(checks: readonly Check[]): Cell | undefined {
  if (checks.length === 0) return undefined;
  const verdict =
    (['leak', 'closed', 'right'] as const).find((one) => checks.some((check) => check.verdict === one)) ?? 'right';
  const counts = new Map<Seen, number>();
  for (const check of checks) {
    if (check.verdict === verdict) counts.set(check.seen, (counts.get(check.seen) ?? 0) + 1);
  }
  const [seen = 'failed'] = [...counts].sort((one, other) => other[1] - one[1])[0] ?? [];
  return { seen, verdict, addresses: checks.length };
}
