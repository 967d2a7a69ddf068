import type { Policy } from '../core/policy/types.js';
import type { Visit } from '../guard/visit/visit.js';
import type { NodeGuard } from '../stores/file-guard.js';

/** A guard as it stands before what is served, with what is known of its policies. */
export interface ServedGuard extends NodeGuard {
  /** The policy that counts for a visit, where it is at hand. */
  readonly policyAt: (visit: Visit) => Policy | undefined;
}

/** One of one site. */
export interface OneSiteGuard extends NodeGuard {
  readonly policy: () => Policy;
  /** The policy before it, while both count. */
  readonly former?: (() => Policy | undefined) | undefined;
  /** Where the policy lies, or would: it is never served. */
  readonly file: string;
}

export const isOfOneSite = (guard: ServedGuard | OneSiteGuard): guard is OneSiteGuard => 'file' in guard;
