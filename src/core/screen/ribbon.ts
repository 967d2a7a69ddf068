import { direction, type ScreenLanguage } from './languages.js';
import { escapeHtml } from './html.js';
import type { ScreenWords } from './words/type.js';

/** What the public meets where somebody is let in by a bypass. */
export type PublicSees = 'screen' | 'closed' | 'nothing' | 'elsewhere' | 'less';

/** The bar in a page for those who see it otherwise than the public does, or as the public does. */
export type RibbonView = {
  readonly language: ScreenLanguage;
  /** The address of the page: where its buttons lead back to. */
  readonly to: string;
  /** Where its form is sent, and its style. */
  readonly action: string;
  readonly style: string;
} & (
  | {
      readonly kind: 'own';
      readonly sees: PublicSees;
      readonly bypass: string;
      /** Whether changes of the policy wait in a draft. */
      readonly hasDraft?: boolean | undefined;
    }
  /** The visitor has asked to see the site as the public does. */
  | { readonly kind: 'public' }
);

const seen: Readonly<Record<PublicSees, keyof ScreenWords>> = {
  screen: 'ribbonScreen',
  closed: 'ribbonClosed',
  nothing: 'ribbonNothing',
  elsewhere: 'ribbonElsewhere',
  less: 'ribbonLess',
};

/**
 * Renders the bar as one element, to be put anywhere in a body. Its own tree (a declarative shadow
 * root, HTML standard section 4.12.3) keeps the style of the page out and its own in, without a
 * script; browsers that do not know that show nothing. All ASCII, so that it may stand in a page of
 * any encoding that has it.
 */
export function renderRibbon(view: RibbonView): string {
  const { language, to, action, style } = view;
  const { words } = language;
  const button = (does: string, text: string, kind = '') =>
    `<button name="do" value="${does}"${kind}>${escapeHtml(text)}</button>`;
  const isOwn = view.kind === 'own';
  const message = isOwn
    ? `<b>${escapeHtml(words[seen[view.sees]])}</b> ${escapeHtml(words.ribbonBy.replace('{bypass}', view.bypass))}${view.hasDraft === true ? ` ${escapeHtml(words.ribbonDraft)}` : ''}`
    : `<b>${escapeHtml(words.ribbonAsPublic)}</b>`;
  const away = `aria-label="${escapeHtml(words.ribbonAway)}" title="${escapeHtml(words.ribbonAway)}"`;
  const buttons = isOwn
    ? button('public', words.ribbonPublic) + `<button name="do" value="away" ${away}>&#215;</button>`
    : button('own', words.ribbonOwn);
  const html =
    '<dorlin-ribbon><template shadowrootmode="open">' +
    `<link rel="stylesheet" href="${escapeHtml(style)}">` +
    `<aside hidden lang="${escapeHtml(language.tag)}" dir="${direction(language.tag)}" class="${view.kind}" aria-label="Dorlin">` +
    `<p>${message}</p><form method="post" action="${escapeHtml(action)}">` +
    `<input type="hidden" name="to" value="${escapeHtml(to)}">${buttons}</form>` +
    '</aside></template></dorlin-ribbon>';
  return html.replace(/[^\x00-\x7f]/gu, (letter) => `&#${letter.codePointAt(0) ?? 0};`);
}

/**
 * The style of the bar. It is hidden until its style is there, lies at the lower edge, and is not
 * printed.
 */
export const ribbonStyle = `
:host{all:initial;position:fixed;z-index:2147483000;inset-block-end:max(.75rem,env(safe-area-inset-bottom));inset-inline:.75rem;display:flex;justify-content:flex-end;pointer-events:none}
aside{display:flex;pointer-events:auto;align-items:center;gap:.6rem 1.25rem;flex-wrap:wrap;justify-content:space-between;box-sizing:border-box;max-width:58rem;padding-block:.55rem;padding-inline:1.1rem .6rem;border-radius:.8rem;background:#14383a;color:#fff;font:400 .9375rem/1.4 "Avenir Next",Avenir,"Segoe UI Variable Text","Segoe UI",Ubuntu,Cantarell,"Noto Sans","DejaVu Sans",sans-serif;box-shadow:0 .15rem .5rem #0005,0 .6rem 2rem #0003}
p{margin:0;flex:1 1 16rem}
p::before{content:"";display:inline-block;width:.65em;height:.65em;margin-inline-end:.6em;border-radius:50%;background:#f4b942}
.public p::before{background:#ff9d84}
b{font-weight:700}
form{display:flex;gap:.35rem;margin:0;align-items:center}
button{font:inherit;font-weight:600;color:inherit;background:#ffffff1f;border:1px solid #ffffff5c;border-radius:.5rem;padding:.4rem .8rem;min-height:2.25rem;min-width:2.25rem;cursor:pointer}
button:hover{background:#ffffff38}
button[value=away]{background:none;border-color:transparent;font-size:1.25rem;line-height:1;padding:.2rem .5rem}
button:focus-visible{outline:3px solid #f4b942;outline-offset:2px}
@media (max-width:34rem){:host{inset-inline:0;inset-block-end:0}aside{width:100%;border-radius:0;padding:.75rem 1rem max(.75rem,env(safe-area-inset-bottom))}form{flex:1 1 100%;justify-content:space-between}}
@media (forced-colors:active){aside,button{border:1px solid CanvasText}}
@media print{:host{display:none}}
`.trim();
