import type { Review } from '../core/policy/review.js';
import { readPolicyOrThrow } from '../core/policy/read.js';
import type { Policy } from '../core/policy/types.js';
import { cutTie, tieOf } from '../stores/tie.js';
import { pullPolicy, pushPolicy, withStore } from '../stores/redis/working-copy.js';
import { changeBetween } from './change.js';
import { carryDraft } from './drafts.js';

/** A site as it lies in the store that many machines share. */
export interface SharedSite {
  readonly site: string;
  /** Goes up by one with each change. */
  readonly version: number;
}

/** A policy that was brought into the store, and what that opened and closed. */
export interface PushResult extends SharedSite, Review {
  readonly hosts: readonly string[];
  readonly isNew: boolean;
}

/** A site that was brought from the store, and what that opened and closed here. */
export interface PullResult extends SharedSite, Review {
  /** Where changes that were made here meanwhile have gone. */
  readonly draft?: string | undefined;
  /** Whether what came from the store is in that draft too; else both changed the same. */
  readonly isCarried?: boolean | undefined;
}

/** A site that was taken out of the store. */
export type TakenOut = SharedSite;

/** A policy without a lock, for what is compared with nothing. */
const without = ({ site }: Policy): Policy =>
  readPolicyOrThrow(JSON.stringify({ dorlin: 1, site: { name: site.name, id: site.id } }), 'nothing');

/**
 * Brings a policy into the shared store, with all that belongs to it.
 *
 * @param redis - the store's address. @default `DORLIN_REDIS`
 * @param hosts - the site's hosts. @default those that it has, or that of its origin
 * @throws DorlinError `policy-missing`, `policy-invalid`, `source-refused`, `source-changed`, `store-away`
 */
export async function push(policyFile: string, redis?: string, hosts?: readonly string[]): Promise<PushResult> {
  const { before, after, ...rest } = await withStore(redis, (store) => pushPolicy(policyFile, store, hosts));
  const review = await changeBetween(policyFile, { before: before ?? without(after), after });
  return { ...rest, isNew: before === undefined, ...review };
}

/**
 * Brings a site from the shared store, to be worked on here.
 * @throws DorlinError `source-unknown`, `policy-invalid`, `source-changed`, `store-away`
 */
export async function pull(policyFile: string, redis?: string, id?: string): Promise<PullResult> {
  const pulled = await withStore(redis, (store) => pullPolicy(policyFile, store, id));
  const { before, after, draft, site, version } = pulled;
  const review = await changeBetween(policyFile, { before: before ?? without(after), after });
  const gone = draft === undefined ? {} : { draft, isCarried: await carryDraft(policyFile) };
  return { site, version, ...gone, ...review };
}

/**
 * Takes a site out of the shared store: guards answer for it no more. The policy here stays, tied to nothing.
 * @throws DorlinError `source-unknown`, `source-changed`, `store-away`
 */
export async function takeOut(policyFile: string, redis?: string): Promise<TakenOut> {
  const pulled = await withStore(redis, async (store) => {
    const { site, version } = await pullPolicy(policyFile, store, (await tieOf(policyFile))?.site);
    return { site, version: await store.sites.remove(site, version) };
  });
  await cutTie(policyFile);
  return pulled;
}
