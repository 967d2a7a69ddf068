import { audienceOf } from '../core/passes/pass.js';
import { sectionsElsewhere, type Sections } from '../core/decide-section.js';
import { accessOfStranger } from '../core/access.js';
import type { KeyChain } from '../core/passes/keys.js';
import type { Policy } from '../core/policy/types.js';
import { screenLanguages, type ScreenLanguage } from '../core/screen/languages.js';
import type { Screen } from '../core/screen/screen.js';
import { contentSecurityPolicy, sectionAsset, type Asset } from './answers/assets.js';

/** What follows from a policy alone; worked out once for each. */
export interface PolicyFacts {
  /** What passes are bound to, so that those of another site with the same secret do not count. */
  readonly audience: string;
  /** The readings of the addresses where the policy says that there are sitemaps and feeds. */
  readonly listings: ReadonlySet<string>;
  readonly languages: readonly [ScreenLanguage, ...ScreenLanguage[]];
  /** By screen: what it may load, without and with the bar. */
  readonly securityPolicies: ReadonlyMap<Screen, readonly [string, string]>;
  /** By screen: the file with the style of its forms in pages. */
  readonly sectionStyles: ReadonlyMap<Screen, string>;
  /** Files of this policy under `/_dorlin/assets/`, by name. */
  readonly files: ReadonlyMap<string, Asset>;
  /** Sections that pages of other addresses may have: answers that are no errors, and those that are. */
  readonly elsewhere: { readonly page: Sections; readonly error: Sections };
  /** Whether a stranger finds the start page open at a moment. */
  readonly isHomeOpen: (now: number) => boolean;
}

/** A policy as one guard looks after it. */
export interface GuardedSite extends PolicyFacts {
  readonly policy: Policy;
  /** What signs and verifies for it. */
  readonly keys: KeyChain;
  /** Its own among all of the process: what is remembered under it is for this guard, policy and keys alone. */
  readonly number: number;
}

const known = new WeakMap<Policy, PolicyFacts>();

function factsOfPolicy(policy: Policy): PolicyFacts {
  const screens = [...policy.screens.values()];
  const styles = screens.flatMap((screen) => {
    const asset = sectionAsset(screen);
    return asset === undefined ? [] : [[screen, ...asset] as const];
  });
  return {
    audience: audienceOf(policy.site),
    listings: new Set(
      [...policy.site.sitemaps, ...policy.site.feeds].flatMap((path) => {
        const read = policy.read(encodeURI(path));
        return read.ok ? read.readings : [];
      }),
    ),
    languages: screenLanguages(policy.site.languages),
    securityPolicies: new Map(
      screens.map((screen) => [screen, [contentSecurityPolicy(screen, false), contentSecurityPolicy(screen, true)]]),
    ),
    sectionStyles: new Map(styles.map(([screen, name]) => [screen, name])),
    files: new Map(styles.map(([, name, asset]) => [name, asset])),
    elsewhere: { page: sectionsElsewhere(policy, false), error: sectionsElsewhere(policy, true) },
    isHomeOpen: homeOf(policy),
  };
}

/** Asked for each screen, and the same until a lock's time begins or ends. */
function homeOf(policy: Policy): (now: number) => boolean {
  let last: { readonly now: number; readonly open: boolean } | undefined;
  return (now) => {
    if (last === undefined || (policy.hasWindows && last.now !== now)) {
      last = { now, open: accessOfStranger(policy, '/', now).open };
    }
    return last.open;
  };
}

let count = 0;

/** Begins to look after a policy, with these keys. */
export function guardedSite(policy: Policy, keys: KeyChain): GuardedSite {
  let facts = known.get(policy);
  if (facts === undefined) {
    facts = factsOfPolicy(policy);
    known.set(policy, facts);
  }
  return { ...facts, policy, keys, number: count++ };
}
