import type { Counters } from '../../core/ports.js';
import { numberOf, type RedisClient } from './client.js';
import type { Names } from './names.js';
import { script } from './script.js';

// What is refused is not counted, and what is given back never makes room for more than there was: a
// limiter that counts all and takes back what it refused would, where its time ends in between.
const takeOne = script(`
local taken = tonumber(redis.call('GET', KEYS[1]) or '0')
local allowed = 0
if taken < tonumber(ARGV[1]) then
  allowed = 1
  taken = redis.call('INCR', KEYS[1])
end
local wait = redis.call('PTTL', KEYS[1])
if wait < 0 then
  redis.call('PEXPIRE', KEYS[1], ARGV[2])
  wait = tonumber(ARGV[2])
end
return {allowed, wait}
`);

const giveOneBack = script(`
if tonumber(redis.call('GET', KEYS[1]) or '0') > 0 then return redis.call('DECR', KEYS[1]) end
return 0
`);

/**
 * Counters that any number of processes share: of all their calls at the same moment, no more are allowed
 * than the budget has left. Where Redis is away they reject, and the guard lets nobody try.
 */
export function redisCounters(client: RedisClient, names: Names): Counters {
  const nameOf = (key: string, { tries, seconds }: { tries: number; seconds: number }) =>
    names.count(`${tries}/${seconds}\n${key}`);
  return {
    async take(key, budget) {
      const answer = await takeOne(client, [nameOf(key, budget)], budget.tries, Math.ceil(budget.seconds * 1000));
      const [allowed, wait] = Array.isArray(answer) ? answer.map(numberOf) : [];
      return { isAllowed: allowed === 1, waitSeconds: Math.max(1, Math.ceil((wait ?? 0) / 1000)) };
    },
    async giveBack(key, budget) {
      await giveOneBack(client, [nameOf(key, budget)]);
    },
  };
}
