import { textAnswer } from './answers.js';
import { pageKind } from '../core/sections/media-type.js';
import { concernsListing, filterListing, isNamedListing } from './listings.js';
import { barFor, lessFor, pageWithBar } from './bar.js';
import { tell, type GuardContext } from './context.js';
import type { Facts } from './facts.js';
import type { Ribbon } from './ribbon.js';
import { sectionsAt, type Sections } from '../core/decide-section.js';
import { filterPage, keyOf, repeatedPage } from './sections.js';
import type { FilteredPage, PageFilter, ServedPage } from './visit.js';

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
 * policy names, and those that the page's author has marked. Undefined where there are no locks.
 */
export function pageFilter(
  context: GuardContext,
  { facts, isMissing = false, ribbon }: PageAbout = {},
): PageFilter | undefined {
  const { standing, target } = context;
  const { policy } = standing;
  if (policy.locks.size === 0) return undefined;
  const sections: Sections = isMissing ? new Map() : sectionsAt(policy, target);
  const bar = barFor(context, ribbon);
  const isNamed = !isMissing && isNamedListing(context);
  const filter = (page: ServedPage) => {
    const cut = filterPage(context, facts, sections, page, bar);
    const andListing = (filtered: FilteredPage | undefined) =>
      filtered === undefined || filtered.kind === 'as-it-is'
        ? (filterListing(context, facts, page, isNamed) ?? filtered)
        : filtered;
    return cut instanceof Promise ? cut.then(andListing) : andListing(cut);
  };
  const finish = (filtered: FilteredPage | undefined, page: ServedPage) => {
    const shown = bar.ribbon ?? (bar.bypass === undefined ? undefined : lessFor(bar.bypass));
    return shown === undefined ? filtered : pageWithBar(context, shown, filtered, page);
  };
  return {
    // Found out where somebody asks for a part only: most ask for the whole.
    takesParts: () => isMedia(target),
    isCertain: sections.size > 0 || isNamed || bar.ribbon !== undefined,
    concerns: (type) => pageKind(type) !== undefined || concernsListing(context, type),
    isPlain: (etag) =>
      sections.size === 0 &&
      !isNamed &&
      bar.ribbon === undefined &&
      standing.plain.has(keyOf(context, etag)),
    known: () => repeatedPage(context, facts, sections, bar),
    filter(page) {
      try {
        const filtered = filter(page);
        return filtered instanceof Promise
          ? filtered.then((found) => finish(found, page)).catch(failed(context))
          : finish(filtered, page);
      } catch (error) {
        return failed(context)(error);
      }
    },
  };
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
