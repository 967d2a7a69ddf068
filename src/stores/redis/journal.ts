import { LRUCache } from 'lru-cache';
import type { JournalEntry } from '../../core/journal/entry.js';
import type { Policy } from '../../core/policy/types.js';
import type { Journal } from '../../guard/policy-source.js';
import { journalLines } from '../flood.js';
import { ask, type RedisClient } from './client.js';
import type { Names } from './names.js';
import { messageOf, tell } from './telling.js';

interface Line {
  readonly site: string;
  readonly entry: JournalEntry;
  readonly keepSeconds: number;
}

/** Most lines that wait for the store to be there again; what comes after them is counted. */
const mostWaiting = 5000;
/** Most lines that the store keeps of one site, some 10 MB: memory is what a flood would fill. Each pull takes them over. */
const mostLines = 50_000;
/** How many are on their way at once. */
const atOnce = 100;

/**
 * The journals of all sites as streams, to which any number of processes write. Lines wait where the store
 * is away, and are written when it is there again; those that are too old go, and the oldest of too many.
 *
 * @param siteOf - the id of a policy's site
 * @param onFailure - told why nothing can be written, once a minute at most
 */
export function redisJournal(
  client: RedisClient,
  names: Names,
  siteOf: (policy: Policy) => string,
  onFailure: (problem: string) => void = () => undefined,
  clock: () => number = () => Date.now() / 1000,
): Journal {
  // Of each site: what makes its lines, how many of them were lost, and when old ones were last cleared away.
  const journals = new LRUCache<
    string,
    { readonly linesOf: ReturnType<typeof journalLines>; lost: number; cleared: number }
  >({ max: 10_000 });
  let waiting: Line[] = [];
  let writing: Promise<void> | undefined;
  let isClosing = false;
  let failedAt = -Infinity;

  const journalOf = (site: string) => {
    let journal = journals.get(site);
    if (journal === undefined) journals.set(site, (journal = { linesOf: journalLines(clock), lost: 0, cleared: 0 }));
    return journal;
  };
  const lose = (site: string) => {
    journalOf(site).lost++;
  };
  const write = async ({ site, entry, keepSeconds }: Line) => {
    const stream = names.journal(site);
    await ask(client, 'XADD', stream, 'MAXLEN', '~', mostLines, '*', 'line', JSON.stringify(entry));
    const journal = journalOf(site);
    if (clock() - journal.cleared < 3600) return;
    journal.cleared = clock();
    const oldest = Math.max(0, Math.floor((clock() - keepSeconds) * 1000));
    // The line is written by now, and is not to be written again for this.
    await ask(client, 'XTRIM', stream, 'MINID', '~', oldest).catch(() => undefined);
  };
  const writeAll = async () => {
    await Promise.resolve();
    while (waiting.length > 0) {
      const now = waiting.slice(0, atOnce);
      waiting = waiting.slice(atOnce);
      const done = await Promise.allSettled(now.map(write));
      const failed = now.filter((_, at) => done[at]?.status === 'rejected');
      if (failed.length === 0) continue;
      if (clock() - failedAt >= 60) {
        failedAt = clock();
        const why: unknown = done.find((one) => one.status === 'rejected')?.reason;
        tell(() => {
          onFailure(messageOf(why));
        });
      }
      const room = Math.max(0, mostWaiting - waiting.length);
      for (const { site } of failed.slice(room)) lose(site);
      waiting = [...failed.slice(0, room), ...waiting];
      // Whoever ends the process waits for one more try, not until the store is there.
      if (isClosing) waiting = [];
      else await new Promise((resolve) => setTimeout(resolve, 500).unref());
    }
    writing = undefined;
  };
  return {
    note(event, policy) {
      const journal = policy?.journal;
      if (policy === undefined || journal === undefined) return;
      const site = siteOf(policy);
      const own = journalOf(site);
      const entries = own.linesOf(event, journal);
      if (own.lost > 0 && waiting.length < mostWaiting / 2) {
        entries.unshift({ at: new Date(clock() * 1000).toISOString(), type: 'skipped', count: own.lost });
        own.lost = 0;
      }
      for (const entry of entries) {
        if (waiting.length >= mostWaiting) lose(site);
        else waiting.push({ site, entry, keepSeconds: journal.keepSeconds });
      }
      writing ??= writeAll();
    },
    settled: async () => {
      isClosing = true;
      while (writing !== undefined) await writing;
      isClosing = false;
    },
  };
}
