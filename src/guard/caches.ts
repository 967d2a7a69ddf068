import { LRUCache } from 'lru-cache';
import type { TokenIdentity } from '../core/bypass/token.js';
import type { Listing } from '../core/crawlers/listing.js';
import type { Pass } from '../core/passes/pass.js';
import type { Opener } from '../core/policy/openers.js';
import type { CutPage, ReadPage, UncutReason } from '../core/sections/cut.js';
import type { VerdictHeaders } from './visit/visit.js';

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

interface Owned<Value> {
  readonly site: number;
  readonly value: Value;
}

/** One of the caches, of which each guarded site sees its own part alone. */
export class SiteCache<Value extends object | true> {
  readonly #values: LRUCache<string, Owned<Value>>;

  /**
   * @param most - bytes at most, keys included: whoever asks decides how long those are. What is larger
   * than a quarter of that is not kept
   * @param sizeOf - about how many bytes a value takes
   */
  constructor(most: number, sizeOf: (value: Value, key: string) => number) {
    this.#values = new LRUCache({
      maxSize: most,
      maxEntrySize: most / 4,
      sizeCalculation: ({ value }, key) => Math.ceil(2 * key.length + 180 + sizeOf(value, key)),
    });
  }

  /** @param site - the number of the guarded site; what another one has kept under the key is not given */
  get(site: number, key: string): Value | undefined {
    const found = this.#values.get(key);
    return found !== undefined && found.site === site ? found.value : undefined;
  }

  has(site: number, key: string): boolean {
    return this.get(site, key) !== undefined;
  }

  /** The same, and nobody is given it again. */
  take(site: number, key: string): Value | undefined {
    const found = this.get(site, key);
    if (found !== undefined) this.#values.delete(key);
    return found;
  }

  /** Of several sites with one key the last one counts: those that may have one put their number into it. */
  set(site: number, key: string, value: Value): void {
    this.#values.set(key, { site, value });
  }
}

const lengthOf = (cut: CutPage | UncutReason) =>
  typeof cut === 'string' ? 0 : cut.parts.reduce((sum, part) => sum + part.length, 0);

/**
 * What guards remember of what they have read, verified and made. One set serves all guards of a
 * process, so that many sites take no more memory than one: what was least asked for goes. Some
 * 150 MB at most.
 */
export class GuardCaches {
  /**
   * Verified passes by cookie. Verifying costs some 50 µs, and a page asks for many files.
   * @internal
   */
  readonly verified = new SiteCache<readonly Pass[]>(4e6, (passes) => 200 + passes.length * 200);
  /**
   * Verified tokens, and how long they may be believed unseen. Verifying costs some 100 µs.
   * @internal
   */
  readonly tokens = new SiteCache<TokenIdentity>(2e6, () => 500);
  /**
   * By a keyed digest of name and password: what they opened. Hashing them costs some 20 ms.
   * @internal
   */
  readonly credentials = new SiteCache<Opener>(2e5, () => 100);
  /**
   * By the same digest and the visitor's address: what opened nothing when a web server asked, which sends the same
   * request once more. It is one try.
   * @internal
   */
  readonly refused = new SiteCache<true>(2e5, () => 0);
  /**
   * Pages with sections that were read before, by their text, and what was made of them.
   * @internal
   */
  readonly pages = new SiteCache<KnownPage>(
    3.2e7,
    // Each cut of a page is about as long as the page.
    ({ cuts }, text) => 2 * text.length + [...cuts.values()].reduce((sum, cut) => sum + lengthOf(cut), 0),
  );
  /**
   * By address, type and ETag: what pages with sections have in them.
   * @internal
   */
  readonly named = new SiteCache<NamedPage>(4e6, ({ ids, marks }) => 300 + (ids.size + marks.size) * 100);
  /**
   * By number of one of those and what is cut: pages as they are sent.
   * @internal
   */
  readonly sent = new SiteCache<SentPage>(3.2e7, ({ body }) => body.length + 1000);
  /**
   * By address: the last page there that had sections and may be sent again.
   * @internal
   */
  readonly last = new SiteCache<{ readonly key: string; readonly etag: string }>(
    4e6,
    ({ key, etag }) => 2 * (key.length + etag.length),
  );
  /**
   * By address and ETag: sitemaps and feeds that were read, and what turned out to be none.
   * @internal
   */
  readonly readListings = new SiteCache<KnownListing>(6.4e7, ({ size }) => size);
  /**
   * By canonical path: the names by which a page was seen to mark its sections. Data of it is locked with them.
   * @internal
   */
  readonly marked = new SiteCache<ReadonlySet<string>>(4e6, (names) => names.size * 80);
  /**
   * Address and ETag of pages that have no section. Reading one costs a tenth of serving it.
   * @internal
   */
  readonly plain = new SiteCache<true>(2e6, () => 0);
}

let shared: GuardCaches | undefined;

/** The caches of this process, made when the first guard is. */
export const sharedCaches = (): GuardCaches => (shared ??= new GuardCaches());
