import { DorlinError } from '../../core/errors.js';
import type { KeyChain } from '../../core/passes/keys.js';
import type { Policy } from '../../core/policy/types.js';
import { isAway } from '../../guard/answers/answers.js';
import type { PolicySource } from '../../guard/policy-source.js';
import type { RedisClient } from './client.js';
import { followSites, type StoreNews } from './follow.js';
import type { Names } from './names.js';
import type { RedisSites } from './sites.js';
import { loadSite, type LoadedSite } from './stored-policy.js';
import { messageOf, tell } from './telling.js';

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

export function tellChange(
  news: SharedPolicyNews,
  before: LoadedSite | undefined,
  after: LoadedSite | undefined,
): void {
  if (before === undefined || before.policy === after?.policy) return;
  tell(() => news.onChange?.(before.policy, after?.policy));
}

/** Which site a policy is of, for as long as somebody asks by it. */
export class Owners {
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
        tellChange(news, before, after);
      } catch (error) {
        if (isAway(error)) retry();
        else tell(() => news.onBroken?.(messageOf(error), id));
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
