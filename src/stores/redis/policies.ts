import { LRUCache } from 'lru-cache';
import pLimit from 'p-limit';
import { DorlinError } from '../../core/errors.js';
import type { KeyChain } from '../../core/passes/keys.js';
import type { Policy } from '../../core/policy/types.js';
import type { PolicySource } from '../../guard/policy-source.js';
import { readHost } from '../../guard/visit/host.js';
import type { RedisClient } from './client.js';
import { followSites, type StoreNews } from './follow.js';
import type { Names } from './names.js';
import type { RedisSites } from './sites.js';
import { loadSite, type LoadedSite } from './stored-policy.js';

/** What is told of the policies of a store. */
export interface SharedPolicyNews extends StoreNews {
  /** Another policy of a site counts from now on; undefined: it was taken out. */
  readonly onChange?: ((before: Policy, after: Policy | undefined) => void) | undefined;
  /** What was put there cannot be read: the policy before it stays in force, where there is one. */
  readonly onBroken?: ((problems: string, site: string) => void) | undefined;
}

/** Policies that come with their sites' ids and keys. */
export interface SharedPolicies extends PolicySource {
  /** The id of the site whose policy this is. @throws DorlinError `source-unknown` */
  readonly siteOf: (policy: Policy) => string;
  /** What signs its passes. @throws DorlinError `source-unknown` */
  readonly keysOf: (policy: Policy) => KeyChain;
}

const messageOf = (error: unknown) => (error instanceof Error ? error.message : 'unknown');

/** Which site a policy is of, for as long as somebody asks by it. */
class Owners {
  readonly #sites = new WeakMap<Policy, LoadedSite>();
  add(site: LoadedSite): void {
    this.#sites.set(site.policy, site);
  }
  of(policy: Policy): LoadedSite {
    const site = this.#sites.get(policy);
    if (site === undefined) throw new DorlinError('source-unknown', 'This policy does not come from the store.');
    return site;
  }
  readonly siteOf = (policy: Policy): string => this.of(policy).id;
  readonly keysOf = (policy: Policy): KeyChain => this.of(policy).keys;
}

/** The policy of one site, of whatever host it is asked for. */
export interface OneSharedPolicy extends SharedPolicies {
  /** The one that counts; undefined once the site was taken out. */
  readonly current: () => Policy | undefined;
  /** Its number in the store: it goes up by one with each change. */
  readonly version: () => number;
}

/**
 * One site of the store, followed: a change counts everywhere within a second, what it closes and what it
 * opens, as it is put there whole.
 *
 * @throws DorlinError `source-unknown`, `policy-invalid`, `source-refused`, `store-away`, `store-unfit`
 */
export async function oneSite(
  client: RedisClient,
  names: Names,
  sites: RedisSites,
  id: string,
  news: SharedPolicyNews = {},
): Promise<OneSharedPolicy> {
  const owners = new Owners();
  let site: LoadedSite | undefined;
  // Each reading is begun after the change it is for, and they follow each other.
  let queue = Promise.resolve();
  const reload = () => {
    queue = queue.then(async () => {
      try {
        const before = site;
        const after = await loadSite(sites, id, before);
        if (after === before) return;
        if (after !== undefined) owners.add(after);
        site = after;
        if (before !== undefined && before.policy !== after?.policy) news.onChange?.(before.policy, after?.policy);
      } catch (error) {
        if (error instanceof DorlinError && error.code === 'store-away') retry();
        else news.onBroken?.(messageOf(error), id);
      }
    });
  };
  let timer: NodeJS.Timeout | undefined;
  /** What was told to have changed must be read, however long that takes. */
  const retry = () => {
    clearTimeout(timer);
    timer = setTimeout(reload, 500);
    timer.unref();
  };
  const stop = await followSites(
    client,
    names,
    (changed) => {
      if (changed === undefined || changed === id) reload();
    },
    news,
  );
  try {
    site = await loadSite(sites, id, undefined);
    if (site === undefined) throw new DorlinError('source-unknown', `The site ${id} was taken out of the store.`);
    owners.add(site);
  } catch (error) {
    stop();
    throw error;
  }
  const current = () => site?.policy;
  return {
    current,
    version: () => site?.version ?? 0,
    policyFor: current,
    siteOf: owners.siteOf,
    keysOf: owners.keysOf,
    close: async () => {
      clearTimeout(timer);
      stop();
      await queue;
    },
  };
}

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
  // By the `Host` header as it comes: the host, and which site it was of.
  const hosts = new LRUCache<string, { readonly host: string; readonly id: string }>({
    maxSize: most / 16,
    sizeCalculation: (_, header) => 300 + 4 * header.length,
  });
  // Hosts of no site, until any site changes.
  const strangers = new LRUCache<string, true>({ max: 10_000 });
  const limit = pLimit(reading);
  const underWay = new Map<string, Promise<unknown>>();
  // Sites that were changed while they were read.
  const dirty = new Set<string>();
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

  const load = (id: string): Promise<LoadedSite | undefined> =>
    once(`site ${id}`, async () => {
      for (;;) {
        dirty.delete(id);
        const before = loaded.get(id);
        const site = await loadSite(sites, id, before);
        // It was changed while it was read: what was read may be what was before.
        if (dirty.has(id)) continue;
        if (site === undefined) loaded.delete(id);
        else {
          owners.add(site);
          loaded.set(id, site);
        }
        if (before !== undefined && before.policy !== site?.policy) news.onChange?.(before.policy, site?.policy);
        return site;
      }
    });

  const reload = (id: string) => {
    load(id).catch((error: unknown) => {
      if (error instanceof DorlinError && error.code === 'store-away') {
        setTimeout(() => {
          if (loaded.has(id)) reload(id);
        }, 500).unref();
      } else news.onBroken?.(messageOf(error), id);
    });
  };

  const stop = await followSites(
    client,
    names,
    (changed) => {
      generation++;
      strangers.clear();
      for (const id of changed === undefined ? [...loaded.keys()] : [changed]) {
        if (!loaded.has(id) && !underWay.has(`site ${id}`)) continue;
        dirty.add(id);
        reload(id);
      }
    },
    news,
  );

  const find = async (header: string, host: string): Promise<Policy | undefined> => {
    // Twice, as a host may go from one site to another meanwhile.
    for (let turn = 0; turn < 2; turn++) {
      const since = generation;
      const id = await once(`host ${host}`, () => sites.ofHost(host));
      if (id === undefined) {
        if (since === generation) strangers.set(host, true);
        return undefined;
      }
      const known = loaded.get(id);
      const site = known?.hosts.has(host) === true ? known : await load(id);
      if (site?.hosts.has(host) !== true) continue;
      hosts.set(header, { host, id });
      return site.policy;
    }
    return undefined;
  };

  return {
    policyFor(visit) {
      const { host: header } = visit.headers;
      if (typeof header !== 'string') return undefined;
      const known = hosts.get(header);
      const site = known && loaded.get(known.id);
      // A host that the site has given up is looked for anew.
      if (site?.hosts.has(known?.host ?? '') === true) return site.policy;
      const host = readHost(header);
      return host === undefined || strangers.has(host) ? undefined : find(header, host);
    },
    siteOf: owners.siteOf,
    keysOf: owners.keysOf,
    close: () => {
      stop();
      return Promise.resolve();
    },
  };
}
