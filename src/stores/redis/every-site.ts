import { LRUCache } from 'lru-cache';
import pLimit from 'p-limit';
import { DorlinError } from '../../core/errors.js';
import type { Policy } from '../../core/policy/types.js';
import { isAway } from '../../guard/answers/answers.js';
import { isSubrequest } from '../../guard/endpoints/authorize.js';
import { readHost } from '../../guard/visit/host.js';
import type { Visit } from '../../guard/visit/visit.js';
import type { RedisClient } from './client.js';
import { followSites } from './follow.js';
import type { Names } from './names.js';
import { refuseCostly, refuseLong } from './one-of-many.js';
import { Owners, tellChange, type SharedPolicies, type SharedPolicyNews } from './policies.js';
import type { RedisSites } from './sites.js';
import { loadSite, type LoadedSite } from './stored-policy.js';
import { messageOf, tell } from './telling.js';

/** How much is kept of many sites. */
export interface ManySitesOptions extends SharedPolicyNews {
  /** Policies that are kept compiled, in bytes, about. What nobody has asked for longest goes. @default 256 million */
  readonly most?: number | undefined;
}

/** About how many bytes a policy takes once it is compiled, for each letter that it is written in. */
const bytesPerLetter = 30;

/** How many policies are read at once, and how many visits may wait for that. */
const reading = 4;
const mostWaiting = 2000;

/**
 * How long a site rests after it was read, in milliseconds, and times as long as reading it took: whoever
 * changes a policy all the time, or has one that takes long to read, takes no more than a sixth of a core.
 */
const leastRest = 100;
const restTimes = 5;

/**
 * All sites of the store, each by its hosts: compiled with the first visit, and kept as long as there is
 * room. An unknown host has no policy; one that cannot be asked for now is an error, and nobody is let in.
 *
 * @throws DorlinError `store-away`, `store-unfit`
 */
export async function everySite(
  client: RedisClient,
  names: Names,
  sites: RedisSites,
  { most = 256e6, ...news }: ManySitesOptions = {},
): Promise<SharedPolicies> {
  const owners = new Owners();
  const loaded = new LRUCache<string, LoadedSite>({
    maxSize: most,
    maxEntrySize: most,
    sizeCalculation: ({ text }) => 20_000 + text.length * bytesPerLetter,
  });
  // By host in its one spelling, so that no number of others pushes it out: the site that it was of.
  const hosts = new LRUCache<string, string>({
    maxSize: most / 16,
    sizeCalculation: (id, host) => 300 + 2 * (host.length + id.length),
  });
  // Hosts of no site, until any site changes.
  const strangers = new LRUCache<string, true>({ max: 10_000 });
  // Sites that cannot be read, and why, until they change.
  const broken = new LRUCache<string, Error>({ max: 10_000 });
  // When sites that were read a moment ago may be read again, and which of them have changed since.
  const resting = new LRUCache<string, number>({ max: 10_000 });
  const restless = new LRUCache<string, true>({ max: 10_000, ttl: 5000 });
  const timers = new Map<string, NodeJS.Timeout>();
  const limit = pLimit(reading);
  const underWay = new Map<string, Promise<unknown>>();
  let generation = 0;

  /** One piece of work for all who want it. */
  const once = <T>(key: string, work: () => Promise<T>): Promise<T> => {
    const known = underWay.get(key) as Promise<T> | undefined;
    if (known !== undefined) return known;
    if (limit.pendingCount >= mostWaiting) {
      return Promise.reject(new DorlinError('store-away', 'More sites are asked for at once than can be read.'));
    }
    const done = limit(work).finally(() => underWay.delete(key));
    underWay.set(key, done);
    return done;
  };

  const read = async (id: string): Promise<LoadedSite | undefined> => {
    const before = loaded.get(id);
    const since = generation;
    const start = performance.now();
    try {
      const site = await loadSite(sites, id, before, refuseLong);
      if (site !== undefined && site.policy !== before?.policy) refuseCostly(id, site.policy);
      if (site === undefined) loaded.delete(id);
      else {
        owners.add(site);
        loaded.set(id, site);
      }
      tellChange(news, before, site);
      return site;
    } catch (error) {
      // What was changed while it was read may be whole by now, and must be read again.
      if (!isAway(error) && since === generation) broken.set(id, error instanceof Error ? error : new Error('unknown'));
      throw error;
    } finally {
      const end = performance.now();
      resting.set(id, end + Math.max(leastRest, restTimes * (end - start)));
    }
  };
  const load = (id: string): Promise<LoadedSite | undefined> => {
    const problem = broken.get(id);
    if (problem !== undefined) return Promise.reject(problem);
    return once(`site ${id}`, () => read(id));
  };
  /** Reads a site that has changed, once it has rested. */
  const reloadLater = (id: string, least = 0) => {
    if (timers.has(id)) return;
    const wait = Math.max(least, (resting.get(id) ?? 0) - performance.now());
    const timer = setTimeout(() => {
      timers.delete(id);
      // What is being read may have been read before the change.
      const last = underWay.get(`site ${id}`) ?? Promise.resolve();
      last
        .catch(() => undefined)
        .then(() => (loaded.has(id) ? load(id) : undefined))
        .catch((error: unknown) => {
          if (isAway(error)) reloadLater(id, 500);
          else tell(() => news.onBroken?.(messageOf(error), id));
        });
    }, wait);
    timer.unref();
    timers.set(id, timer);
  };

  const stop = await followSites(
    client,
    names,
    (changed) => {
      generation++;
      strangers.clear();
      if (changed === undefined) broken.clear();
      else {
        broken.delete(changed);
        restless.set(changed, true);
      }
      for (const id of changed === undefined ? [...loaded.keys()] : [changed]) {
        if (loaded.has(id) || underWay.has(`site ${id}`)) reloadLater(id);
      }
    },
    news,
  );

  const find = async (host: string): Promise<Policy | undefined> => {
    // Twice, as a host may go from one site to another meanwhile.
    for (let turn = 0; turn < 2; turn++) {
      const since = generation;
      const id = await once(`host ${host}`, () => sites.ofHost(host));
      if (id === undefined) {
        if (since === generation) strangers.set(host, true);
        return undefined;
      }
      const known = loaded.get(id);
      if (known === undefined && restless.has(id) && (resting.get(id) ?? 0) > performance.now()) {
        throw new DorlinError('store-away', `The site ${id} changes all the time; it is read again in a moment.`);
      }
      const site = known?.hosts.has(host) === true ? known : await load(id);
      if (site?.hosts.has(host) !== true) continue;
      hosts.set(host, id);
      return site.policy;
    }
    return undefined;
  };
  /** The policy of a host in its one spelling, where it is at hand; a host that its site has given up is looked for anew. */
  const atHand = (host: string): Policy | undefined => {
    const id = hosts.get(host);
    const site = id === undefined ? undefined : loaded.get(id);
    return site?.hosts.has(host) === true ? site.policy : undefined;
  };

  /**
   * What counts where the web server names the site whose files it serves: none but that. One that asks
   * beforehand must, as it may have read another host out of the request than we do.
   */
  const fitting = (policy: Policy | undefined, { headers, target }: Visit): Policy | undefined => {
    if (policy === undefined) return undefined;
    const named = headers['dorlin-site'];
    if (named === undefined) return isSubrequest({ target }, policy) ? undefined : policy;
    if (typeof named !== 'string') return undefined;
    if (named === owners.siteOf(policy)) return policy;
    const host = readHost(named);
    return host !== undefined && owners.of(policy).hosts.has(host) ? policy : undefined;
  };
  const policyOf = ({ headers: { host: header } }: Visit): Policy | undefined | Promise<Policy | undefined> => {
    if (typeof header !== 'string') return undefined;
    // Most write it as it is kept.
    const known = atHand(header);
    if (known !== undefined) return known;
    const host = readHost(header);
    if (host === undefined || strangers.has(host)) return undefined;
    return (host === header ? undefined : atHand(host)) ?? find(host);
  };

  return {
    policyFor(visit) {
      const policy = policyOf(visit);
      return policy instanceof Promise ? policy.then((found) => fitting(found, visit)) : fitting(policy, visit);
    },
    siteOf: owners.siteOf,
    keysOf: owners.keysOf,
    close: () => {
      stop();
      for (const timer of timers.values()) clearTimeout(timer);
      return Promise.resolve();
    },
  };
}
