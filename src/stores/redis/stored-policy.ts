import { DorlinError } from '../../core/errors.js';
import { deriveKeys, type KeyChain } from '../../core/passes/keys.js';
import { readPolicyOrThrow } from '../../core/policy/read.js';
import type { Policy } from '../../core/policy/types.js';
import type { RedisSites, StoredSite } from './sites.js';

/** A site of the store as it counts in this process. */
export interface LoadedSite {
  readonly id: string;
  readonly version: number;
  readonly text: string;
  readonly policy: Policy;
  /** The secret that these are of. */
  readonly secret: string;
  readonly keys: KeyChain;
  readonly hosts: ReadonlySet<string>;
}

/**
 * Reads a site, and makes of it what counts; what has not changed stays the same object.
 *
 * @param mayRead - throws where a text is not to be read
 * @returns undefined where it was taken out
 * @throws DorlinError `source-unknown`, `policy-invalid`, `secret-weak`, `source-refused`, `store-away`, `store-unfit`
 */
export async function loadSite(
  sites: Pick<RedisSites, 'read'>,
  id: string,
  known: LoadedSite | undefined,
  mayRead: (id: string, text: string) => void = () => undefined,
): Promise<LoadedSite | undefined> {
  const stored = await sites.read(id);
  // Taken out it would say so: a store that was emptied opens and ends nothing.
  if (stored === undefined) throw new DorlinError('source-unknown', `The store has no policy for the site ${id}.`);
  if (stored.text !== undefined && stored.text !== known?.text) mayRead(id, stored.text);
  return stored.text === undefined ? undefined : loadStored({ ...stored, text: stored.text }, known);
}

async function loadStored(
  { id, version, text, secret, hosts }: StoredSite & { readonly text: string },
  known: LoadedSite | undefined,
): Promise<LoadedSite> {
  if (known?.version === version && known.text === text && known.secret === secret) return known;
  const keys = known?.secret === secret ? known.keys : await deriveKeys(secret);
  const policy = known?.text === text ? known.policy : readPolicyOrThrow(text, `the site ${id}`);
  if (policy.site.id !== id) throw new DorlinError('source-refused', `The site ${id} has the policy of another.`);
  return { id, version, text, policy, secret, keys, hosts: new Set(hosts) };
}
