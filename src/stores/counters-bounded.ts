import { LRUCache } from 'lru-cache';
import type { Clock, Counters } from '../core/ports.js';

interface Count {
  taken: number;
  /** When it begins anew, in seconds since 1970. */
  until: number;
}

/**
 * Counters in memory without timers, for runtimes in which nothing may go on between requests. They
 * take at most so many bytes: those that nobody has asked for longest go first.
 *
 * @param most - in bytes, keys included. @default 16 million
 */
export function boundedCounters(clock: Clock = () => Date.now() / 1000, most = 16_000_000): Counters {
  const counts = new LRUCache<string, Count>({
    maxSize: most,
    sizeCalculation: (_, key) => 2 * key.length + 180,
  });
  return {
    // Done before anything is waited for, so that none comes between.
    take: (key, { tries, seconds }) => {
      const now = clock();
      const name = `${tries}/${seconds} ${key}`;
      let count = counts.get(name);
      if (count === undefined || count.until <= now) counts.set(name, (count = { taken: 0, until: now + seconds }));
      const isAllowed = count.taken < tries;
      if (isAllowed) count.taken++;
      return Promise.resolve({ isAllowed, waitSeconds: Math.max(1, Math.ceil(count.until - now)) });
    },
    giveBack: (key, { tries, seconds }) => {
      const count = counts.get(`${tries}/${seconds} ${key}`);
      if (count !== undefined && count.taken > 0) count.taken--;
      return Promise.resolve();
    },
  };
}
