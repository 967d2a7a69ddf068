import RateLimiterMemory from 'rate-limiter-flexible/lib/RateLimiterMemory.js';
import RateLimiterRes from 'rate-limiter-flexible/lib/RateLimiterRes.js';
import type { Budget } from '../core/guessing/budget.js';
import type { Counters } from '../core/ports.js';

/** Counters in this process's memory: for one machine, with nothing to install. */
export function memoryCounters(): Counters {
  const limiters = new Map<string, RateLimiterMemory>();
  const limiterFor = ({ tries, seconds }: Budget) => {
    const name = `${tries}/${seconds}`;
    let limiter = limiters.get(name);
    if (limiter === undefined) {
      limiter = new RateLimiterMemory({ points: tries, duration: seconds, keyPrefix: name });
      limiters.set(name, limiter);
    }
    return limiter;
  };
  const inSeconds = ({ msBeforeNext }: RateLimiterRes) => Math.max(1, Math.ceil(msBeforeNext / 1000));
  return {
    async take(key, budget) {
      try {
        const taken = await limiterFor(budget).consume(key);
        return { isAllowed: true, waitSeconds: inSeconds(taken) };
      } catch (refusal) {
        if (!(refusal instanceof RateLimiterRes)) throw refusal;
        // The limiter counts what it refuses as well; a flood of those must not prolong the wait
        // of others, who share a lock's counter with it.
        await limiterFor(budget).reward(key);
        return { isAllowed: false, waitSeconds: inSeconds(refusal) };
      }
    },
    async giveBack(key, budget) {
      await limiterFor(budget).reward(key);
    },
  };
}
