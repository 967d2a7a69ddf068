import { LRUCache } from 'lru-cache';
import type { Pass } from '../core/passes/pass.js';
import type { Policy } from '../core/policy/compile.js';
import { screenLanguages, type ScreenLanguage } from '../core/screen/languages.js';

/** What the guard works out once for each policy it is given. */
export interface Standing {
  readonly policy: Policy;
  /** What passes are bound to, so that those of another site with the same secret do not count. */
  readonly audience: string;
  /** Verified passes by cookie. Verifying costs some 50 µs, and a page asks for many files. */
  readonly verified: LRUCache<string, readonly Pass[]>;
  readonly languages: readonly [ScreenLanguage, ...ScreenLanguage[]];
}

export function standingFor(policy: Policy): Standing {
  return {
    policy,
    audience: policy.site.origin ?? policy.site.name,
    verified: new LRUCache({ max: 10_000 }),
    languages: screenLanguages(policy.site.languages),
  };
}
