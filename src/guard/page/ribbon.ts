import { ribbonName } from '../answers/assets.js';
import { asksByScreen } from '../../core/policy/lock-state.js';
import { lockToAsk } from '../../core/decide.js';
import type { Lock } from '../../core/policy/types.js';
import { renderRibbon, type PublicSees, type RibbonView } from '../../core/screen/ribbon.js';
import type { GuardContext } from '../context.js';
import { languageFor } from '../visit/language.js';
import { headerOf, type Visit } from '../visit/visit.js';

/** What a bar is to say: how the visitor is in, and what the public sees; or that it is the same. */
export type Ribbon =
  { readonly kind: 'own'; readonly sees: PublicSees; readonly bypass: string } | { readonly kind: 'public' };

/** Whether a browser asks for a page to show it whole, so that a bar has its place in it. */
export function isNavigation(visit: Visit): boolean {
  if (visit.method !== 'GET' && visit.method !== 'POST') return false;
  const dest = headerOf(visit, 'sec-fetch-dest');
  if (dest !== undefined) return dest === 'document';
  // On plain http browsers do not say what for; scripts that fetch parts of pages mostly do.
  const isPage = (headerOf(visit, 'accept') ?? '').includes('text/html');
  return isPage && headerOf(visit, 'x-requested-with') === undefined;
}

/** What the public meets at what these locks shut. */
export function publicSees(locks: readonly Lock[]): PublicSees {
  const lock = lockToAsk(locks);
  const { outsiders } = lock;
  if (typeof outsiders !== 'string') return 'elsewhere';
  if (outsiders === 'not-found') return 'nothing';
  return asksByScreen(lock) ? 'screen' : 'closed';
}

/** Whether the policy wants the bar for those let in by a bypass. */
export function hasRibbon({ guarded }: GuardContext, bypass: string): boolean {
  const { site, bypasses } = guarded.policy;
  return site.ribbon && bypasses.get(bypass)?.ribbon === true;
}

/** The bar as HTML. */
export function ribbonHtml({ guarded, visit, target, options }: GuardContext, ribbon: Ribbon): string {
  const { prefix } = guarded.policy.site;
  const view: RibbonView = {
    ...(ribbon.kind === 'own' ? { ...ribbon, hasDraft: options.hasDraft?.(guarded.policy) === true } : ribbon),
    language: languageFor(headerOf(visit, 'accept-language'), guarded.languages),
    to: target,
    action: `${prefix}/view`,
    style: `${prefix}/assets/${ribbonName}`,
  };
  return renderRibbon(view);
}

const letters = new TextDecoder('latin1');

/** Puts the bar at the end of a page's body; a page that is not written in ASCII stays as it is. */
export function withRibbon(page: Uint8Array, html: string): Uint8Array {
  if (page.length < 4 || page.subarray(0, 4).some((byte) => byte === 0 || byte >= 0xfe)) return page;
  const end = letters.decode(page.subarray(-200));
  const inEnd = end.search(/<\/body\s*>\s*(?:<\/html\s*>\s*)?$/i);
  // Behind the end of the body, too, it is taken into the body (HTML standard section 13.2.6.4.19).
  const at = inEnd < 0 ? page.length : page.length - end.length + inEnd;
  const bar = new TextEncoder().encode(html);
  const joined = new Uint8Array(page.length + bar.length);
  joined.set(page.subarray(0, at));
  joined.set(bar, at);
  joined.set(page.subarray(at), at + bar.length);
  return joined;
}
