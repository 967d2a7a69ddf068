import { countsAt } from '../policy/lock-state.js';
import type { Policy } from '../policy/types.js';
import { isWithin } from '../windows/window.js';
import type { JournalEntry } from './entry.js';

/** Something in a journal that an owner would want to be told. */
export type StandOut = {
  readonly lock: string;
  /** In seconds since 1970: between the first and the last of what it was seen in. */
  readonly from: number;
  readonly until: number;
} &
  /** Many wrong tries in a short while. */
  (
    | { readonly kind: 'guess-flood'; readonly tries: number; readonly networks: number; readonly opened: number }
    /** A password came from many more networks than it used to. */
    | {
        readonly kind: 'password-around';
        readonly opener: string;
        readonly label: string;
        readonly networks: number;
        /** From how many in as many days before, at most. */
        readonly before: number;
      }
    /** One that counts, and that nobody has used for a long time. */
    | { readonly kind: 'password-unused'; readonly opener: string; readonly label: string }
    /** Many meet the lock, and hardly anybody gets in. */
    | { readonly kind: 'met-in-vain'; readonly met: number; readonly wrong: number; readonly opened: number }
  );

const hour = 3600;
const day = 86_400;

/** So many wrong tries within an hour are a flood, where they outnumber those that were right five times. */
export const floodTries = 30;
/** How far back floods, and those who meet a lock in vain, are looked for. */
const recent = 7 * day;
/** A password is compared with itself in spans of this length. */
const span = 3 * day;
/** Fewer networks than these say nothing: a family has some. */
export const manyNetworks = 12;
/** A password that nobody has used for so long is unused. */
const longUnused = 30 * day;
/** So many must have met a lock, and fewer than one in this many got in. */
export const metInVain = { met: 40, oneIn: 40 };

interface Timed extends JournalEntry {
  readonly seconds: number;
}

/**
 * What stands out in a journal, the newest first. Only what was written down is known: networks are addresses
 * without their last part, and where none are kept, nothing is said of them.
 *
 * @param entries - all of the journal, without those of patrols
 * @param now - in seconds since 1970
 */
export function standsOut(entries: readonly JournalEntry[], policy: Policy, now: number): readonly StandOut[] {
  const byLock = new Map<string, Timed[]>();
  let first = now;
  for (const entry of entries) {
    const seconds = Date.parse(entry.at) / 1000;
    if (seconds > now) continue;
    first = Math.min(first, seconds);
    if (entry.lock === undefined) continue;
    const list = byLock.get(entry.lock) ?? [];
    list.push({ ...entry, seconds });
    byLock.set(entry.lock, list);
  }
  const found = [...policy.locks.values()].flatMap((lock): StandOut[] => {
    // Several processes write it, and clocks differ.
    const here = (byLock.get(lock.name) ?? []).sort((one, other) => one.seconds - other.seconds);
    const byOpener = new Map<string, Timed[]>();
    for (const entry of here) {
      if (entry.opener === undefined) continue;
      const list = byOpener.get(entry.opener) ?? [];
      list.push(entry);
      byOpener.set(entry.opener, list);
    }
    return [
      ...floodIn(lock.name, here, now),
      ...inVain(policy, lock.name, here, now),
      ...[...lock.openers.values()].flatMap(({ id, label, window }): StandOut[] => {
        if (!lock.passwords.some((one) => one.id === id)) return [];
        const used = byOpener.get(id) ?? [];
        const unused =
          isWithin(window, now) && countsAt(lock, now)
            ? unusedFor(lock.name, { id, label }, used, { first, now, from: window.from })
            : [];
        return [...around(lock.name, { id, label }, used, now), ...unused];
      }),
    ];
  });
  return found.sort((one, other) => other.until - one.until);
}

/** The last flood of wrong tries: as long as within the hour before each there were too many. */
function floodIn(lock: string, here: readonly Timed[], now: number): StandOut[] {
  const lately = here.filter(({ seconds }) => seconds >= now - recent);
  const tried = lately.filter(({ type }) => type === 'wrong' || type === 'waiting');
  const right = lately.filter(({ type }) => type === 'unlocked' || type === 'entered').map(({ seconds }) => seconds);
  let run: { from: number; until: number } | undefined;
  // Both ends of the hour go forward alone, and the right ones with them: each is looked at once.
  let [start, firstRight, lastRight] = [0, 0, 0];
  for (const [at, { seconds }] of tried.entries()) {
    while ((tried[start]?.seconds ?? seconds) < seconds - hour) start++;
    while ((right[lastRight] ?? Infinity) <= seconds) lastRight++;
    while (firstRight < lastRight && (right[firstRight] ?? 0) < seconds - hour) firstRight++;
    const count = at - start + 1;
    if (count < floodTries || count < 5 * (lastRight - firstRight)) continue;
    const from = tried[start]?.seconds ?? seconds;
    run = run !== undefined && from <= run.until ? { from: run.from, until: seconds } : { from, until: seconds };
  }
  if (run === undefined) return [];
  const { from, until } = run;
  const within = tried.filter(({ seconds }) => seconds >= from && seconds <= until);
  const opened = right.filter((seconds) => seconds >= from && seconds <= until).length;
  return [{ kind: 'guess-flood', lock, tries: within.length, networks: networksOf(within).size, opened, from, until }];
}

const networksOf = (entries: readonly JournalEntry[]) => new Set(entries.flatMap(({ from }) => from ?? []));

/** A password that came from three times as many networks as in any span before. */
function around(
  lock: string,
  { id, label }: { readonly id: string; readonly label: string },
  used: readonly Timed[],
  now: number,
): StandOut[] {
  const within = (from: number, until: number) => used.filter(({ seconds }) => seconds > from && seconds <= until);
  const latest = within(now - span, now);
  const networks = networksOf(latest).size;
  if (networks < manyNetworks) return [];
  const start = used[0]?.seconds ?? now;
  let before = 0;
  let spans = 0;
  for (let until = now - span; until - span >= start; until -= span) {
    before = Math.max(before, networksOf(within(until - span, until)).size);
    spans++;
  }
  // Handed out just now, it comes from wherever those are who were given it.
  if (spans < 2 || networks <= 3 * before) return [];
  return [
    {
      kind: 'password-around',
      lock,
      opener: id,
      label,
      networks,
      before,
      from: latest[0]?.seconds ?? now - span,
      until: latest.at(-1)?.seconds ?? now,
    },
  ];
}

function unusedFor(
  lock: string,
  { id, label }: { readonly id: string; readonly label: string },
  used: readonly Timed[],
  { first, now, from = first }: { readonly first: number; readonly now: number; readonly from?: number | undefined },
): StandOut[] {
  // A journal that is younger knows nothing of the time before it.
  const since = used.at(-1)?.seconds ?? Math.max(first, from);
  return now - since < longUnused
    ? []
    : [{ kind: 'password-unused', lock, opener: id, label, from: since, until: since }];
}

function inVain({ locks }: Policy, name: string, here: readonly Timed[], now: number): StandOut[] {
  const lock = locks.get(name);
  // A lock that is closed on purpose, or hides, lets nobody in.
  if (lock?.outsiders !== 'screen' || lock.passwords.length === 0) return [];
  const lately = here.filter(({ seconds }) => seconds >= now - recent);
  const count = (...types: JournalEntry['type'][]) => lately.filter(({ type }) => types.includes(type)).length;
  const [met, opened, wrong] = [count('asked'), count('unlocked', 'entered'), count('wrong')];
  if (met < metInVain.met || opened * metInVain.oneIn >= met) return [];
  return [
    {
      kind: 'met-in-vain',
      lock: name,
      met,
      wrong,
      opened,
      from: lately[0]?.seconds ?? now,
      until: lately.at(-1)?.seconds ?? now,
    },
  ];
}

/** What stands out, as a sentence. @param zone - the time zone of the site (IANA) */
export function standOutText(one: StandOut, zone: string): string {
  const moment = (seconds: number) =>
    new Date(seconds * 1000).toLocaleString('en-GB', {
      timeZone: zone,
      day: 'numeric',
      month: 'short',
      hour: '2-digit',
      minute: '2-digit',
    });
  const date = (seconds: number) =>
    new Date(seconds * 1000).toLocaleDateString('en-GB', { timeZone: zone, day: 'numeric', month: 'long' });
  const times = (count: number, word: string) => `${count.toLocaleString('en')} ${word}${count === 1 ? '' : 's'}`;
  switch (one.kind) {
    case 'guess-flood': {
      const from = one.networks === 0 ? '' : `, from ${times(one.networks, 'network')}`;
      const got = one.opened === 0 ? 'none opened it' : `${times(one.opened, 'right password')} in that time`;
      return `${one.tries.toLocaleString('en')} wrong tries at ${one.lock} between ${moment(one.from)} and ${moment(one.until)}${from}; ${got}.`;
    }
    case 'password-around': {
      const before = one.before === 0 ? 'none' : `${one.before} at most`;
      return `The password ${one.label} of ${one.lock} was used from ${times(one.networks, 'network')} within three days, and from ${before} in as many days before: it seems to have got around.`;
    }
    case 'password-unused':
      return `Nobody has used the password ${one.label} of ${one.lock} since ${date(one.from)}.`;
    case 'met-in-vain': {
      const got = one.opened === 0 ? 'nobody' : String(one.opened);
      return `${times(one.met, 'visit')} met ${one.lock} within a week and ${got} got in${one.wrong > 0 ? `; ${one.wrong.toLocaleString('en')} typed a wrong password` : ''}.`;
    }
  }
}
