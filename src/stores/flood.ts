import { entryOf, type Happened, type JournalEntry } from '../core/journal/entry.js';
import type { Policy } from '../core/policy/types.js';

/** Most lines that a process writes of one site in a minute; a flood must not fill what keeps them. */
const mostPerMinute = 600;

/**
 * Makes lines for a journal of what happens, until it is too much: then it is counted.
 *
 * @param clock - in seconds since 1970
 * @returns the lines for one event, none or several
 */
export function journalLines(clock: () => number) {
  // A patrol of the owner's is much at once, and must not keep what visitors do from being written down.
  const counts = { visitors: { at: -1, count: 0, skipped: 0 }, patrol: { at: -1, count: 0, skipped: 0 } };
  return (event: Happened, { addresses }: NonNullable<Policy['journal']>): JournalEntry[] => {
    const at = new Date(clock() * 1000);
    const now = Math.floor(clock() / 60);
    const isPatrol = event.patrol === true;
    const minute = counts[isPatrol ? 'patrol' : 'visitors'];
    const lines: JournalEntry[] = [];
    if (minute.at !== now) {
      const { skipped } = minute;
      Object.assign(minute, { at: now, count: 0, skipped: 0 });
      if (skipped > 0)
        lines.push({ at: at.toISOString(), type: 'skipped', count: skipped, ...(isPatrol && { patrol: true }) });
    }
    minute.count += 1;
    if (minute.count > mostPerMinute) minute.skipped += 1;
    else lines.push(entryOf(event, at, addresses));
    return lines;
  };
}
