import type { GuardContext } from '../context.js';
import { hasRibbon, isNavigation, ribbonHtml, withRibbon, type Ribbon } from './ribbon.js';
import { privately } from '../answers/answers.js';
import { headerOf, type FilteredPage, type ServedPage } from '../visit/visit.js';

/** The bar of a page, so far as it is known. */
export interface Bar {
  /** What it says; that much is known beforehand. */
  readonly ribbon: Ribbon | undefined;
  /** Whether one may be put in for sections that only a bypass opens. */
  readonly mayBeAdded: boolean;
  /** The bypass that turned out to open one. */
  bypass?: string | undefined;
}

const noBar: Bar = { ribbon: undefined, mayBeAdded: false };

/** Which bar an answer is to have, as far as that is known before it is there. */
export function barFor(context: GuardContext, ribbon: Ribbon | undefined): Bar {
  const { visit, guarded } = context;
  const { site, bypasses } = guarded.policy;
  const mayBeAdded = site.ribbon && bypasses.size > 0;
  const isAsPublic = headerOf(visit, 'cookie')?.includes('dorlin-view=') === true;
  if (!isAsPublic && !mayBeAdded) return noBar;
  if (!isNavigation(visit)) return noBar;
  const { cookies } = context;
  // Not to be put away: it is the way back.
  if (cookies.publicSince !== undefined) return { ribbon: asPublic, mayBeAdded: false };
  return cookies.isRibbonAway ? noBar : { ribbon, mayBeAdded };
}

const asPublic: Ribbon = { kind: 'public' };
export const lessFor = (bypass: string): Ribbon => ({ kind: 'own', sees: 'less', bypass });

/** A page with the bar in it; what is no HTML page stays as it is. */
export function pageWithBar(
  context: GuardContext,
  ribbon: Ribbon,
  filtered: FilteredPage | undefined,
  { contentType, body }: ServedPage,
): FilteredPage | undefined {
  if (filtered?.kind === 'answer' || filtered?.kind === 'reworded' || !/^text\/html\s*(;|$)/i.test(contentType))
    return filtered;
  const page = filtered?.kind === 'changed' ? filtered.body : body;
  if (page === undefined || page.length === 0) return filtered;
  const headers = filtered?.headers ?? privately;
  return { kind: 'changed', headers, body: withRibbon(page, ribbonHtml(context, ribbon)) };
}

/** Says by which bypass a section is open, if the public does not see it. */
export function noteBypass(context: GuardContext, bar: Bar, bypass: string | undefined): void {
  if (!bar.mayBeAdded) return;
  if (bypass !== undefined && hasRibbon(context, bypass)) bar.bypass ??= bypass;
}
