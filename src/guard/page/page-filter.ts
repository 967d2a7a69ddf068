import { textAnswer } from '../answers/answers.js';
import { pageKind } from '../../core/sections/media-type.js';
import { concernsListing, filterListing, isNamedListing } from './listings.js';
import { barFor, lessFor, pageWithBar, type Bar } from './bar.js';
import { tell, type GuardContext } from '../context.js';
import type { Facts } from '../visit/facts.js';
import type { Ribbon } from './ribbon.js';
import { sectionsAt, type Sections } from '../../core/decide-section.js';
import { filterPage, keyOf, repeatedPage } from './sections.js';
import type { FilteredPage, PageFilter, RepeatedPage, ServedPage } from '../visit/visit.js';

/** What is known of an answer before the application gives it. */
export interface PageAbout {
  readonly facts?: Facts | undefined;
  /** Whether the application is asked for something that is not there. */
  readonly isMissing?: boolean | undefined;
  /** The bar to be put into a page. */
  readonly ribbon?: Ribbon | undefined;
}

/**
 * What is to be done with the application's answer, as sections of it may be locked: those that the
 * policy names, and those that the page's author has marked. Undefined where nothing can be.
 */
export function pageFilter(context: GuardContext, about: PageAbout = {}): PageFilter | undefined {
  const { guarded, target } = context;
  const { policy } = guarded;
  if (policy.locks.size === 0) return undefined;
  const { isMissing = false } = about;
  const sections: Sections = isMissing ? new Map() : sectionsAt(policy, target);
  const isNamed = !isMissing && isNamedListing(context);
  const bar = barFor(context, about.ribbon);
  const isCertain = sections.size > 0 || isNamed || bar.ribbon !== undefined;
  // Sections of some pages are sent at other addresses too.
  if (!isCertain && !policy.site.marks && guarded.elsewhere.page.size === 0) return undefined;
  // What an application makes of the request for itself tells nothing of the visitor.
  context.visit.settle?.();
  return new ContextFilter(context, about.facts, sections, isNamed, bar, isCertain);
}

/** The filter of one visit's answer. */
class ContextFilter implements PageFilter {
  constructor(
    readonly context: GuardContext,
    readonly facts: Facts | undefined,
    readonly sections: Sections,
    readonly isNamed: boolean,
    readonly bar: Bar,
    readonly isCertain: boolean,
  ) {}

  get mayCut(): boolean {
    return this.sections.size > 0 || this.isNamed;
  }
  // Found out where somebody asks for a part only: most ask for the whole.
  takesParts(): boolean {
    return isMedia(this.context.target);
  }
  concerns(type: string): boolean {
    return pageKind(type) !== undefined || concernsListing(this.context, type);
  }
  isPlain(etag: string, contentType: string): boolean {
    const { caches, guarded } = this.context;
    return !this.isCertain && caches.plain.has(guarded.number, this.#plainKey(etag, contentType));
  }
  #plainKey(etag: string, contentType: string): string {
    return `${keyOf(this.context, etag)}\n${contentType}`;
  }
  known(): RepeatedPage | undefined {
    return repeatedPage(this.context, this.facts, this.sections, this.bar);
  }
  filter(page: ServedPage): ReturnType<PageFilter['filter']> {
    try {
      const filtered = this.#filter(page);
      return filtered instanceof Promise
        ? filtered.then((found) => this.#finish(found, page)).catch(failed(this.context))
        : this.#finish(filtered, page);
    } catch (error) {
      return failed(this.context)(error);
    }
  }

  #filter(page: ServedPage): ReturnType<PageFilter['filter']> {
    const { context, facts, sections, bar, isNamed } = this;
    const cut = filterPage(context, facts, sections, page, bar);
    const andListing = (filtered: FilteredPage | undefined) =>
      filtered === undefined || filtered.kind === 'as-it-is'
        ? (filterListing(context, facts, page, isNamed) ?? filtered)
        : filtered;
    return cut instanceof Promise ? cut.then(andListing) : andListing(cut);
  }

  #finish(filtered: FilteredPage | undefined, page: ServedPage): FilteredPage | undefined {
    const { context, bar } = this;
    const { status, etag, body, contentType } = page;
    // A page without sections needs not be read again. Of a listing, what is locked may change with time.
    const isPage = !concernsListing(context, contentType) && pageKind(contentType) === 'html';
    if (filtered === undefined && isPage && status === 200 && etag && body !== undefined && !this.isCertain)
      context.caches.plain.set(context.guarded.number, this.#plainKey(etag, contentType), true);
    const shown = bar.ribbon ?? (bar.bypass === undefined ? undefined : lessFor(bar.bypass));
    return shown === undefined ? filtered : pageWithBar(context, shown, filtered, page);
  }
}

/**
 * Whether an address ends as those of pictures, films and files to be kept do, and not of pages: of a page
 * a part would not be read.
 */
const isMedia = (target: string) =>
  /\.(?!x?html?$|xml$|xsl|svg$|rss$|atom$|rdf$|json|txt$|gz$|php|aspx?$|jsp|cgi$|pl$|py$)[a-z0-9]{2,5}$/i.test(
    target.split('?', 1)[0] ?? '',
  );

const failed = (context: GuardContext) => (error: unknown) => {
  tell(context, { type: 'failed', message: error instanceof Error ? error.message : 'unknown' });
  return textAnswer(500, 'Something went wrong here, so this page is not shown. Please try again.');
};
