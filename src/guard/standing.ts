import { LRUCache } from 'lru-cache';
import type { TokenIdentity } from '../core/bypass/token.js';
import { audienceOf, type Pass } from '../core/passes/pass.js';
import type { Policy } from '../core/policy/compile.js';
import type { Opener } from '../core/policy/openers.js';
import type { Listing } from '../core/crawlers/listing.js';
import type { ReadPage } from '../core/sections/cut.js';
import type { VerdictHeaders } from './visit.js';
import { screenLanguages, type ScreenLanguage } from '../core/screen/languages.js';
import type { Screen } from '../core/screen/screen.js';
import { contentSecurityPolicy, sectionAsset, type Asset } from './assets.js';

/** What the guard works out once for each policy it is given. */
export interface Standing {
  readonly policy: Policy;
  /** What passes are bound to, so that those of another site with the same secret do not count. */
  readonly audience: string;
  /** Verified passes by cookie. Verifying costs some 50 µs, and a page asks for many files. */
  readonly verified: LRUCache<string, readonly Pass[]>;
  /** Verified tokens, and how long they may be believed unseen. Verifying costs some 100 µs. */
  readonly tokens: LRUCache<string, TokenIdentity>;
  /** By a keyed digest of name and password: what they opened. Hashing them costs some 20 ms. */
  readonly credentials: LRUCache<string, Opener>;
  /** Pages with sections that were read before, and what was made of them. */
  readonly pages: LRUCache<string, KnownPage>;
  /** By address, type and ETag: what pages with sections have in them. */
  readonly named: LRUCache<string, NamedPage>;
  /** By number of one of those and what is cut: pages as they are sent. */
  readonly sent: LRUCache<string, SentPage>;
  /** By address: the last page there that had sections and may be sent again. */
  readonly last: LRUCache<string, { readonly key: string; readonly etag: string }>;
  /** The readings of the addresses where the policy says that there are sitemaps and feeds. */
  readonly listings: ReadonlySet<string>;
  /** By address and ETag: sitemaps and feeds that were read, and what turned out to be none. */
  readonly readListings: LRUCache<string, Listing | 'broken' | 'none'>;
  /** Address and ETag of pages that have no section. Reading one costs a tenth of serving it. */
  readonly plain: LRUCache<string, true>;
  readonly languages: readonly [ScreenLanguage, ...ScreenLanguage[]];
  /** By screen: what it may load, without and with the bar. */
  readonly securityPolicies: ReadonlyMap<Screen, readonly [string, string]>;
  /** By screen: the file with the style of its forms in pages. */
  readonly sectionStyles: ReadonlyMap<Screen, string>;
  /** Files of this policy under `/_dorlin/assets/`, by name. */
  readonly files: ReadonlyMap<string, Asset>;
}

/** What is known of a page by its text. */
export interface KnownPage {
  readonly read: ReadPage;
  /** By what is cut: the page without it; undefined where that is not certain. */
  readonly cuts: Map<string, string | undefined>;
}

/** A page without its sections, as it is sent. */
export interface SentPage {
  readonly body: Uint8Array;
  /** The headers of the application, where they may be sent again to others. */
  readonly given: VerdictHeaders | undefined;
}

/** What is known of a page by its ETag. */
export interface NamedPage extends Pick<ReadPage, 'ids' | 'marks'> {
  /** Its own among all, and quicker to look up by than its address. */
  readonly number: number;
}

export function standingFor(policy: Policy): Standing {
  const screens = [...policy.screens.values()];
  const styles = screens.flatMap((screen) => {
    const asset = sectionAsset(screen);
    return asset === undefined ? [] : [[screen, ...asset] as const];
  });
  return {
    policy,
    securityPolicies: new Map(
      screens.map((screen) => [
        screen,
        [contentSecurityPolicy(screen, false), contentSecurityPolicy(screen, true)],
      ]),
    ),
    sectionStyles: new Map(styles.map(([screen, name]) => [screen, name])),
    files: new Map(styles.map(([, name, asset]) => [name, asset])),
    audience: audienceOf(policy.site),
    verified: new LRUCache({ max: 10_000 }),
    tokens: new LRUCache({ max: 1_000 }),
    credentials: new LRUCache({ max: 1_000 }),
    plain: new LRUCache({ max: 10_000 }),
    listings: new Set(
      [...policy.site.sitemaps, ...policy.site.feeds].flatMap((path) => {
        const read = policy.read(encodeURI(path));
        return read.ok ? read.readings : [];
      }),
    ),
    readListings: new LRUCache({ max: 10_000, maxSize: 64_000_000 }),
    named: new LRUCache({ max: 10_000 }),
    // In bytes.
    sent: new LRUCache({
      maxSize: 32_000_000,
      sizeCalculation: ({ body }) => body.length + 1000,
    }),
    last: new LRUCache({ max: 10_000 }),
    // In letters: some tens of megabytes at most.
    pages: new LRUCache({
      maxSize: 16_000_000,
      sizeCalculation: ({ cuts }, text) =>
        text.length + [...cuts.values()].reduce((sum, cut) => sum + (cut?.length ?? 0), 1),
    }),
    languages: screenLanguages(policy.site.languages),
  };
}
