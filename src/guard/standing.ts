import { LRUCache } from 'lru-cache';
import type { TokenIdentity } from '../core/bypass/token.js';
import { audienceOf, type Pass } from '../core/passes/pass.js';
import type { Policy } from '../core/policy/compile.js';
import type { Opener } from '../core/policy/openers.js';
import type { Listing } from '../core/crawlers/listing.js';
import type { CutPage, UncutReason, ReadPage } from '../core/sections/cut.js';
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
  readonly readListings: LRUCache<string, KnownListing>;
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
  /** By what is cut: the page without it; why not, where that is not certain. */
  readonly cuts: Map<string, CutPage | UncutReason>;
}

/** What is known of a sitemap or a feed, and about how many bytes that takes. */
export interface KnownListing {
  readonly listing: Listing | 'broken' | 'none';
  readonly size: number;
}

/** A page without its sections, as it is sent. */
export interface SentPage {
  readonly body: Uint8Array;
  /** Those that it is sent with. */
  readonly headers: VerdictHeaders;
  /** The headers of the application, where they may be sent again to others. */
  readonly given: VerdictHeaders | undefined;
}

/** What is known of a page by its ETag. */
export interface NamedPage extends Pick<ReadPage, 'ids' | 'marks'> {
  /** Its own among all, and quicker to look up by than its address. */
  readonly number: number;
}

/**
 * A cache that is bounded in bytes, keys included: whoever asks decides how long those are.
 *
 * @param most - bytes at most; what is larger than a quarter of that is not kept
 * @param sizeOf - about how many bytes a value takes
 */
function bounded<Value extends object | true>(
  most: number,
  sizeOf: (value: Value, key: string) => number,
): LRUCache<string, Value> {
  return new LRUCache({
    maxSize: most,
    maxEntrySize: most / 4,
    sizeCalculation: (value, key) => Math.ceil(2 * key.length + 150 + sizeOf(value, key)),
  });
}

const lengthOf = (cut: CutPage | UncutReason) =>
  typeof cut === 'string' ? 0 : cut.parts.reduce((sum, part) => sum + part.length, 0);

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
    verified: bounded(4e6, (passes) => 200 + passes.length * 200),
    tokens: bounded(2e6, () => 500),
    credentials: bounded(2e5, () => 100),
    plain: bounded(2e6, () => 0),
    listings: new Set(
      [...policy.site.sitemaps, ...policy.site.feeds].flatMap((path) => {
        const read = policy.read(encodeURI(path));
        return read.ok ? read.readings : [];
      }),
    ),
    readListings: bounded(6.4e7, ({ size }) => size),
    named: bounded(4e6, ({ ids, marks }) => 300 + (ids.size + marks.size) * 100),
    sent: bounded(3.2e7, ({ body }) => body.length + 1000),
    last: bounded(4e6, ({ key, etag }) => 2 * (key.length + etag.length)),
    // Each cut of a page is about as long as the page.
    pages: bounded(
      3.2e7,
      ({ cuts }, text) =>
        2 * text.length + [...cuts.values()].reduce((sum, cut) => sum + lengthOf(cut), 0),
    ),
    languages: screenLanguages(policy.site.languages),
  };
}
