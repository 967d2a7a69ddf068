import type * as z from 'zod';
import { openRecall } from '../../core/passwords/recall.js';
import type { Policy } from '../../core/policy/types.js';
import type { Counters } from '../../core/ports.js';
import type { Letter, LinkUses, RequestDesk } from '../../core/site-ports.js';
import type { GuardOptions } from '../../guard/context.js';
import type { Journal } from '../../guard/policy-source.js';
import type { Visit } from '../../guard/visit/visit.js';
import { guardFromPorts, type GuardPorts, type NodeGuard } from '../file-guard.js';
import { sendLetterBySmtp } from '../mail.js';
import { recallSchema } from '../recall-file.js';
import { ask, whenThere, type RedisClient } from './client.js';
import { redisCounters } from './counters.js';
import { redisJournal } from './journal.js';
import { redisLinkUses } from './link-uses.js';
import { defaultPrefix, namesIn } from './names.js';
import { everySite, type ManySitesOptions } from './every-site.js';
import { oneSite, type OneSharedPolicy, type SharedPolicies, type SharedPolicyNews } from './policies.js';
import { redisSites, type RedisSites } from './sites.js';

/** All that guards on many machines share, in one Redis. */
export interface RedisStores {
  readonly counters: Counters;
  readonly sites: RedisSites;
  /** One site's policy, for every host that is asked for. @throws DorlinError as {@link guardFromRedis} */
  readonly oneSite: (id: string, news?: SharedPolicyNews) => Promise<OneSharedPolicy>;
  /** All sites' policies, by host. @throws DorlinError as {@link guardsFromRedis} */
  readonly everySite: (options?: ManySitesOptions) => Promise<SharedPolicies>;
  /** The uses of entry links, each counted once whatever becomes of the connection. */
  readonly linkUses: (policies: SharedPolicies) => LinkUses;
  readonly journal: (policies: SharedPolicies, onFailure?: (problem: string) => void) => Journal;
  readonly requests: (policies: SharedPolicies, send?: RequestDesk['send']) => RequestDesk;
  readonly keptFile: (policies: SharedPolicies) => NonNullable<GuardOptions['keptFile']>;
  /** Ends what waits for the store. The connection is the caller's. */
  readonly close: () => void;
}

/** How the shared store is used. */
export interface RedisOptions {
  /** What all keys begin with. @default `dorlin` */
  readonly prefix?: string | undefined;
}

/**
 * What guards share by Redis (7 or newer): counters, uses of links, journals, requests, policies with their
 * secrets and pictures.
 *
 * Whoever may read that Redis can sign passes of every site in it; whoever may write there can open them.
 *
 * @param client - of ioredis, or one like it; not in cluster mode. It is the caller's to close
 */
export function redisStores(client: RedisClient, { prefix = defaultPrefix }: RedisOptions = {}): RedisStores {
  const names = namesIn(prefix);
  const sites = redisSites(client, names);
  const uses = redisLinkUses(client, names);
  return {
    counters: redisCounters(client, names),
    sites,
    oneSite: (id, news) => oneSite(client, names, sites, id, news),
    everySite: (options) => everySite(client, names, sites, options),
    linkUses: ({ siteOf }) => ({ take: (link, most, policy) => uses.take(siteOf(policy), link, most) }),
    journal: ({ siteOf }, onFailure) => redisJournal(client, names, siteOf, onFailure),
    requests: ({ siteOf, keysOf }, send = (letter, { mail }) => sendLetterBySmtp(letter, mail)) => ({
      send,
      async recall(lock, id, policy) {
        const text = await sites.recall(siteOf(policy)).catch(() => undefined);
        const sealed = text === undefined ? undefined : recallOf(text)?.[lock]?.[id];
        return sealed === undefined ? undefined : openRecall(sealed, keysOf(policy));
      },
      async keep(entry, policy) {
        const stream = names.requests(siteOf(policy));
        await ask(client, 'XADD', stream, 'MAXLEN', '~', mostRequests, '*', 'line', JSON.stringify(entry));
      },
    }),
    keptFile:
      ({ siteOf }) =>
      (policy, name) =>
        sites.picture(siteOf(policy), name),
    close: () => {
      uses.close();
    },
  };
}

/** Most requests that the store keeps of one site; they are taken over by each pull. */
const mostRequests = 100_000;

function recallOf(text: string): z.output<typeof recallSchema> | undefined {
  try {
    return recallSchema.safeParse(JSON.parse(text)).data;
  } catch {
    return undefined;
  }
}

/** What else guards over Redis are told and given. */
export interface RedisGuardOptions
  extends
    RedisOptions,
    SharedPolicyNews,
    Pick<
      GuardPorts,
      'identify' | 'onEvent' | 'perSite' | 'tokenKeys' | 'marksOf' | 'hasher' | 'caches' | 'refusalDelay'
    > {
  /** Told why the journal cannot be written, once a minute at most. */
  readonly onJournalFailed?: ((problem: string) => void) | undefined;
  /** Sends letters to visitors in another way than by SMTP. */
  readonly sendLetter?: ((letter: Letter, policy: Policy) => Promise<void>) | undefined;
}

/** A guard over the shared store. */
export interface RedisGuard extends NodeGuard {
  /** The policy that counts for a visit, where it is at hand. */
  readonly policyAt: (visit: Visit) => Policy | undefined;
  readonly stores: RedisStores;
}

function guardOver(
  stores: RedisStores,
  policies: SharedPolicies,
  {
    sendLetter,
    onJournalFailed,
    perSite,
    identify,
    onEvent,
    tokenKeys,
    marksOf,
    hasher,
    caches,
    refusalDelay,
  }: RedisGuardOptions,
): RedisGuard {
  const guard = guardFromPorts({
    policies,
    keys: policies.keysOf,
    counters: stores.counters,
    linkUses: stores.linkUses(policies),
    journal: stores.journal(policies, onJournalFailed),
    requests: stores.requests(policies, sendLetter),
    keptFile: stores.keptFile(policies),
    ...{ perSite, identify, onEvent, tokenKeys, marksOf, hasher, caches, refusalDelay },
  });
  const close = async () => {
    stores.close();
    await guard.close();
  };
  const policyAt = (visit: Visit) => {
    const policy = policies.policyFor(visit);
    if (!(policy instanceof Promise)) return policy;
    // Whoever asks for what is at hand only does not wait, and is not told what becomes of it.
    policy.catch(() => undefined);
    return undefined;
  };
  return { ...guard, close, stores, policyAt };
}

/**
 * A guard of one site, of which there may be any number on any number of machines: tries are counted
 * exactly, a changed policy counts in all of them within a second, and none keeps anything that the others
 * do not know, so that a balancer may send each request to any.
 *
 * Where Redis is away, open pages and those who are in notice nothing; nobody else is let in.
 *
 * @param site - the id of the site, `site.id` of its policy
 * @throws DorlinError `source-unknown`, `policy-invalid`, `source-refused`, `store-away`, `store-unfit`
 *
 * @example
 * const guard = await guardFromRedis(new Redis(process.env.DORLIN_REDIS), 'kestrelmoor');
 * app.use(guardMiddleware(guard));
 */
export async function guardFromRedis(
  client: RedisClient,
  site: string,
  options: RedisGuardOptions = {},
): Promise<RedisGuard & Pick<OneSharedPolicy, 'version'> & { readonly policy: OneSharedPolicy['current'] }> {
  await whenThere(client);
  const stores = redisStores(client, options);
  const policies = await stores.oneSite(site, options);
  return { ...guardOver(stores, policies, options), policy: policies.current, version: policies.version };
}

/**
 * One guard for all sites of the store, each by its hosts. Nothing of one counts at another: each has its
 * own secret, journal, pictures and counters. A host that no site has is answered 421 (RFC 9110 section 15.5.20).
 *
 * Each policy is its owner's, and may burden the others no more than so much: it has at most 128 KiB, no costly
 * hashes, and 600 tries a minute at all its locks together (`perSite`). The guard asks no server that a policy names:
 * letters go by `DORLIN_SMTP` or `sendLetter`, and nobody is known by `identity.jwt` unless `tokenKeys` are handed in.
 *
 * What stands behind must take the host as the guard has read it: see docs/deploy/many-sites.md.
 *
 * @throws DorlinError `store-away`, `store-unfit`
 */
export async function guardsFromRedis(
  client: RedisClient,
  options: RedisGuardOptions & ManySitesOptions = {},
): Promise<RedisGuard> {
  await whenThere(client);
  const stores = redisStores(client, options);
  const policies = await stores.everySite(options);
  return guardOver(stores, policies, {
    perSite: { tries: 600, seconds: 60 },
    // Whoever writes one policy is not to have our machine ask others: its mail server is not used.
    sendLetter: (letter, { mail }) => sendLetterBySmtp(letter, { ...mail, server: undefined }),
    ...options,
  });
}
