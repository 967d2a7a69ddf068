import { randomBytes } from 'node:crypto';
import { setTimeout as wait } from 'node:timers/promises';
import { DorlinError } from '../../core/errors.js';
import { numberOf, type RedisClient } from './client.js';
import type { Names } from './names.js';
import { script } from './script.js';

/** How long what came of a taking is remembered, in seconds: a use can be returned for as long. */
const ticketSeconds = 6 * 3600;

// Asked twice with one ticket, it takes once: an answer may be lost on the way.
const takeUse = script(`
local before = redis.call('GET', KEYS[2])
if before then return tonumber(before) end
local used = tonumber(redis.call('HGET', KEYS[1], ARGV[1]) or '0')
local allowed = 0
if used < tonumber(ARGV[2]) then
  allowed = 1
  redis.call('HINCRBY', KEYS[1], ARGV[1], 1)
end
redis.call('SET', KEYS[2], allowed, 'EX', ARGV[3])
return allowed
`);

// A taking that has not arrived yet takes nothing any more.
const returnUse = script(`
if redis.call('GET', KEYS[2]) == '1' then redis.call('HINCRBY', KEYS[1], ARGV[1], -1) end
redis.call('SET', KEYS[2], 0, 'EX', ARGV[2])
return 1
`);

/** Whether nobody knows what came of it: it may have been done, and the answer be lost. */
const isUnreachable = (error: unknown) => error instanceof DorlinError && error.code === 'store-away';

/** How long a visitor waits for a connection that broke, in milliseconds. */
const patience = 3000;
/** Most takings of which nobody knows what came; beyond them the use stays taken. */
const mostOpen = 1000;

/** Counts the uses of one site's entry links for any number of processes. */
export interface SharedLinkUses {
  take(site: string, link: string, uses: number): Promise<boolean>;
  close(): void;
}

/**
 * A use is taken once, and is lost to nobody: where the answer does not come back it is asked for again,
 * and where that fails too, so that the visitor was told to come again, it is returned later.
 */
export function redisLinkUses(client: RedisClient, names: Names): SharedLinkUses {
  const open = new Map<string, readonly [site: string, link: string]>();
  let isReturning = false;
  const end = new AbortController();
  const returnAll = async () => {
    if (isReturning) return;
    isReturning = true;
    try {
      while (open.size > 0 && !end.signal.aborted) {
        for (const [ticket, [site, link]] of [...open]) {
          try {
            await returnUse(client, [names.uses(site), names.ticket(ticket)], link, ticketSeconds);
            open.delete(ticket);
          } catch {
            break;
          }
        }
        if (open.size > 0) await wait(500, undefined, { signal: end.signal, ref: false });
      }
    } catch {
      // It was ended: what is open stays taken, and opens nothing.
    } finally {
      isReturning = false;
    }
  };
  return {
    async take(site, link, uses) {
      const ticket = randomBytes(12).toString('base64url');
      const giveUp = performance.now() + patience;
      for (;;) {
        try {
          const keys = [names.uses(site), names.ticket(ticket)];
          return numberOf(await takeUse(client, keys, link, uses, ticketSeconds)) === 1;
        } catch (error) {
          if (!isUnreachable(error)) throw error;
          if (performance.now() > giveUp || end.signal.aborted) {
            if (open.size < mostOpen) open.set(ticket, [site, link]);
            void returnAll();
            throw error;
          }
          await wait(100);
        }
      }
    },
    close: () => {
      end.abort();
    },
  };
}
