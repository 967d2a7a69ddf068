import { DorlinError } from '../core/errors.js';
import { reviewPolicies, type Review } from '../core/policy/review.js';
import type { Policy } from '../core/policy/types.js';
import { addressesFrom } from '../patrol/addresses-from.js';
import { targetOf } from '../server/site-files.js';
import { addressesInSitemap } from '../server/sitemap.js';
import { draftFile } from '../stores/draft-files.js';
import { loadPolicy } from '../stores/policy-file.js';
import { sectionsOf } from './change.js';
import { filesOfSite } from './site-files.js';

/** Where the addresses come from by which two policies are compared. */
export type AddressSource =
  | { readonly folder?: string | undefined }
  | { readonly pages: readonly string[] }
  | { readonly sitemap: string }
  | { readonly crawl: string };

/** What the new of two policies would change for strangers. */
export interface ReviewResult extends Review {
  readonly old: string;
  readonly new: string;
  /** How many addresses they were compared by. */
  readonly addresses: number;
}

/**
 * Compares two policies, or a policy with its draft.
 *
 * @param files - two policy files; without them, the policy and its draft
 * @throws DorlinError `draft-missing`, `policy-missing`, `policy-invalid`, `folder-missing`,
 * `sitemap-unreadable`, `site-unreachable`
 */
export async function review(
  policyFile: string,
  files?: { readonly old: string; readonly new: string },
  source: AddressSource = {},
): Promise<ReviewResult> {
  const [oldFile, newFile] = [files?.old ?? policyFile, files?.new ?? draftFile(policyFile)];
  const [before, after] = await Promise.all([
    loadPolicy(oldFile),
    loadPolicy(newFile).catch((error: unknown) => {
      const isMissing = error instanceof DorlinError && error.code === 'policy-missing';
      if (files !== undefined || !isMissing) throw error;
      throw new DorlinError('draft-missing', `There is no draft ${newFile}.`);
    }),
  ]);
  const pages = await addressesOf(newFile, after, source);
  // The sections of both, as neither need be a file.
  const targets = [...new Set([...pages, ...sectionsOf(before), ...sectionsOf(after)])];
  const change = reviewPolicies(before, after, targets, Date.now() / 1000);
  return { old: oldFile, new: newFile, addresses: targets.length, ...change };
}

async function addressesOf(policyFile: string, policy: Policy, source: AddressSource): Promise<readonly string[]> {
  if ('pages' in source) return source.pages;
  if ('sitemap' in source) return addressesInSitemap(source.sitemap);
  if ('crawl' in source) return (await addressesFrom(source.crawl)).targets;
  return (await filesOfSite(policyFile, policy, source.folder)).map(targetOf);
}
