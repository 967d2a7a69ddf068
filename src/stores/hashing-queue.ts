import pLimit from 'p-limit';
import { DorlinError } from '../core/errors.js';

/**
 * A queue for hashing: only so many run at once, as each takes memory and one of the few threads
 * that files are read with too, and only so many wait.
 *
 * @param running - how many run at once. @default 2
 * @param waiting - how many may wait; one more is refused with a DorlinError `hashing-busy`.
 * @default 50, which are served in about a second
 * @returns what makes a hasher, or any other such work, wait for its turn
 */
export function hashingQueue(running = 2, waiting = 50) {
  const limit = pLimit(running);
  const queued =
    <All extends unknown[], T>(work: (...all: All) => Promise<T>) =>
    (...all: All): Promise<T> => {
      if (limit.activeCount + limit.pendingCount >= running + waiting) {
        throw new DorlinError('hashing-busy', 'Too many passwords are being tried at once.');
      }
      return limit(() => work(...all));
    };
  /** How many run and wait at this moment. */
  const load = () => ({ running: limit.activeCount, waiting: limit.pendingCount });
  return Object.assign(queued, { load });
}
