import type { Policy } from '../policy/types.js';
import { localTime } from '../windows/moment.js';
import type { JournalEntry } from './entry.js';

/** What to keep of a journal. */
export interface JournalFilter {
  readonly locks: readonly string[];
  readonly types: readonly string[];
  /** Seconds since 1970. */
  readonly since?: number | undefined;
}

export function isWanted(entry: JournalEntry, { locks, types, since }: JournalFilter): boolean {
  if (locks.length > 0 && !locks.includes(entry.lock ?? '')) return false;
  if (types.length > 0 && !types.includes(entry.type)) return false;
  return since === undefined || Date.parse(entry.at) >= since * 1000;
}

/** What happened at one lock. */
export interface LockSummary {
  readonly lock: string;
  /** How often it was opened: by a password, HTTP Basic or an entry link. */
  readonly opened: number;
  readonly wrong: number;
  /** How often a password was not tried because of too many. */
  readonly waiting: number;
  /** How often it was met by somebody who was not let in. */
  readonly met: number;
  /** When it was opened last, as RFC 3339. */
  readonly lastOpened: string | undefined;
  /** How often it was opened on each of the days, the oldest first. */
  readonly openedByDay: readonly number[];
  readonly wrongByDay: readonly number[];
}

/** How much something was used that opens a lock. */
export interface OpenerSummary {
  readonly lock: string;
  readonly opener: string;
  readonly label: string;
  readonly kind: 'password' | 'link' | 'gone';
  readonly used: number;
  readonly lastUsed: string | undefined;
  /** How often it was used on each of the days, the oldest first. */
  readonly usedByDay: readonly number[];
}

export interface JournalSummary {
  /** The days of the charts, `2026-11-23`, the oldest first. */
  readonly days: readonly string[];
  readonly locks: readonly LockSummary[];
  readonly openers: readonly OpenerSummary[];
}

/** How many days the charts have. */
const dayCount = 30;

/**
 * Counts a journal: for every lock, and for everything that opens one, used or not.
 * @param now - in seconds since 1970; the last day of the charts is the one that it is in
 */
export function summarize(entries: readonly JournalEntry[], { locks, site }: Policy, now: number): JournalSummary {
  const zone = site.timeZone;
  const dayAt = (seconds: number) => localTime(seconds, zone).slice(0, 10);
  const today = Date.parse(dayAt(now));
  const days = Array.from({ length: dayCount }, (_, at) =>
    new Date(today - (dayCount - 1 - at) * 24 * 60 * 60_000).toISOString().slice(0, 10),
  );
  const dayOf = ({ at }: JournalEntry) => days.indexOf(dayAt(Date.parse(at) / 1000));
  const byDay = (these: readonly JournalEntry[]) => {
    const counts = days.map(() => 0);
    for (const entry of these) {
      const day = dayOf(entry);
      if (day >= 0) counts[day] = (counts[day] ?? 0) + 1;
    }
    return counts;
  };
  const known = new Set([...locks.keys(), ...entries.flatMap(({ lock }) => lock ?? [])]);
  return {
    days,
    locks: [...known].map((lock) => {
      const here = entries.filter((entry) => entry.lock === lock);
      const of = (...types: JournalEntry['type'][]) => here.filter(({ type }) => types.includes(type));
      const opened = of('unlocked', 'entered');
      const wrong = of('wrong');
      return {
        lock,
        opened: opened.length,
        wrong: wrong.length,
        waiting: of('waiting').length,
        met: of('asked', 'closed').length,
        lastOpened: latest(opened),
        openedByDay: byDay(opened),
        wrongByDay: byDay(wrong),
      };
    }),
    openers: openersOf(entries, locks, byDay),
  };
}

function openersOf(
  entries: readonly JournalEntry[],
  locks: Policy['locks'],
  byDay: (these: readonly JournalEntry[]) => readonly number[],
): OpenerSummary[] {
  const found = new Map<string, Omit<OpenerSummary, 'used' | 'lastUsed' | 'usedByDay'>>();
  for (const [lock, { links, openers }] of locks) {
    for (const { id: opener, label } of openers.values()) {
      const kind = links.some(({ id }) => id === opener) ? 'link' : 'password';
      found.set(`${lock} ${opener}`, { lock, opener, label, kind });
    }
  }
  for (const { lock = '', opener, label = '' } of entries) {
    const key = `${lock} ${opener ?? ''}`;
    if (opener !== undefined && !found.has(key)) found.set(key, { lock, opener, label, kind: 'gone' });
  }
  return [...found].map(([key, about]) => {
    const used = entries.filter(({ lock, opener }) => opener !== undefined && `${lock ?? ''} ${opener}` === key);
    return { ...about, used: used.length, lastUsed: latest(used), usedByDay: byDay(used) };
  });
}

const latest = (entries: readonly JournalEntry[]) =>
  entries.reduce<string | undefined>((last, { at }) => (last === undefined || at > last ? at : last), undefined);
