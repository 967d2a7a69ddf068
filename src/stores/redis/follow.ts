import { ask, numberOf, textsOf, type RedisClient } from './client.js';
import type { Names } from './names.js';
import { messageOf, tell } from './telling.js';

/** What is told of the shared store while it is followed. */
export interface StoreNews {
  /** It cannot be reached: what is known goes on to count. Told once, until it is there again. */
  readonly onAway?: ((problem: string) => void) | undefined;
  /** It is there again. */
  readonly onBack?: (() => void) | undefined;
}

/** How often the store is asked what has changed, in milliseconds: as long as a lost message costs. */
const lookEvery = 1000;

/** Most changes that are read at once; where there are more, all may have changed. */
const mostChanges = 10_000;

/**
 * Follows the changes of sites: by messages, at once, and by looking every second, as a message may be lost.
 *
 * @param onChange - told the id of a site that was changed; undefined: any may have been
 * @returns stops it
 */
export async function followSites(
  client: RedisClient,
  names: Names,
  onChange: (id: string | undefined) => void,
  { onAway, onBack }: StoreNews = {},
): Promise<() => void> {
  let seen = numberOf(await ask(client, 'GET', names.epoch));
  let isAway = false;
  let isClosed = false;

  const look = async () => {
    const epoch = numberOf(await ask(client, 'GET', names.epoch));
    if (isAway) tell(() => onBack?.());
    isAway = false;
    if (epoch === seen) return;
    const since = seen;
    seen = epoch;
    // A store that has lost its last changes counts from an earlier one.
    if (epoch < since || epoch - since > mostChanges) onChange(undefined);
    else
      for (const id of textsOf(await ask(client, 'ZRANGE', names.changed, `(${since}`, '+inf', 'BYSCORE')))
        onChange(id);
  };
  let timer: NodeJS.Timeout | undefined;
  const lookLater = () => {
    if (isClosed) return;
    timer = setTimeout(() => {
      look()
        .catch((error: unknown) => {
          // What could not be read has to be read again.
          seen = Math.min(seen, -1);
          if (isAway) return;
          isAway = true;
          tell(() => onAway?.(messageOf(error)));
        })
        .finally(lookLater);
    }, lookEvery);
    timer.unref();
  };
  lookLater();

  const listener = client.duplicate({ enableOfflineQueue: true });
  // Without its messages there is the look.
  listener.on('error', () => undefined);
  listener.on('message', (_, id) => {
    onChange(id);
  });
  listener.subscribe(names.changes).catch(() => undefined);
  return () => {
    isClosed = true;
    clearTimeout(timer);
    listener.disconnect();
  };
}
