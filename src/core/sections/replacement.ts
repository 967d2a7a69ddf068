import { parseFragment } from 'parse5';
import { escapeHtml } from '../screen/html.js';
import type { ScreenLanguage } from '../screen/languages.js';
import { sayer } from '../screen/said.js';
import type { Screen } from '../screen/screen.js';
import { sectionClass } from '../screen/section-style.js';
import { isHtml, markAttribute, type Element } from './tree.js';

/** What stands in the place of a section that is not open. */
export interface Replacement {
  readonly lock: string;
  /** `ask` is a small form, `closed` a sentence, `hidden` nothing at all. */
  readonly kind: 'ask' | 'closed' | 'hidden';
  /** Whose words and look they have; without it, the words that are built in. */
  readonly screen?: Screen | undefined;
}

/** Says of an element that a section was cut here, and which number its form has. */
export const cutAttribute = 'data-dorlin-section';

// What a parser takes between the tags of these, so that the form stays where it is put.
const wrappers: Readonly<Record<string, (inner: string) => string>> = {
  ul: (inner) => `<li>${inner}</li>`,
  ol: (inner) => `<li>${inner}</li>`,
  menu: (inner) => `<li>${inner}</li>`,
  dl: (inner) => `<dd>${inner}</dd>`,
  table: (inner) => `<tbody><tr><td>${inner}</td></tr></tbody>`,
  thead: (inner) => `<tr><td>${inner}</td></tr>`,
  tbody: (inner) => `<tr><td>${inner}</td></tr>`,
  tfoot: (inner) => `<tr><td>${inner}</td></tr>`,
  tr: (inner) => `<td>${inner}</td>`,
};

const words = (text: string) => new Set(text.split(' '));

/** Elements that can hold a small form as they are. */
const holders = words(
  'address article aside blockquote body caption center dd details div dt fieldset figcaption figure ' +
    'footer h1 h2 h3 h4 h5 h6 header hgroup li main nav p pre search section span summary td th ' +
    'b i em strong small u s mark q cite ins del dfn abbr sub sup time data',
);

/** Elements that cannot, nor anything in their place. */
const emptied = words('select optgroup option datalist colgroup col source track param template title textarea');

/** Elements that have no end tag (HTML standard section 13.1.2). */
const voids = words('area base br col embed hr img input link meta param source track wbr');

/** Attributes that are the author's way to find and style an element; others may be content. */
const kept = ['id', 'class', 'lang', 'dir'];

/** The element that stands in the place of one that was cut. */
export interface Piece {
  /** As HTML, in ASCII but for the author's own attributes. */
  readonly text: string;
  /** What it is called. */
  readonly name: string;
  /** Whether it has a form, which is to stand elsewhere. */
  readonly asks: boolean;
}

/** How the form of a section is written. */
export interface FormOptions {
  readonly language: ScreenLanguage;
  /** The address of its style, if it has one. */
  readonly style: string | undefined;
  /** Whether nothing can be typed or sent until a script makes its fields usable. */
  readonly needsScript: boolean;
}

/**
 * What is to stand in the place of an element, of a kind that fits in there.
 *
 * @param source - its start tag, as it is written
 */
export function pieceFor(
  element: Element,
  replacement: Replacement,
  source: string,
  number: number,
  form: FormOptions,
): Piece {
  const { style } = form;
  const name = element.tagName;
  const isInHead = element.parentNode?.nodeName === 'head';
  const hasPlace = isHtml(element) && !isInHead && !emptied.has(name) && canHoldForm(element);
  const fits = holders.has(name) || name in wrappers;
  const asks = hasPlace && replacement.kind === 'ask';
  if (!hasPlace || replacement.kind === 'hidden') {
    // A void element or one with its own way of reading would be read otherwise with attributes
    // alone; what it is makes no difference any more.
    const stays = !isHtml(element) || isInHead || fits || emptied.has(name);
    const as = stays ? name : 'span';
    const isVoid = isHtml(element) && voids.has(as);
    // Nobody is to learn of a hidden lock, and so not its name.
    const names = replacement.kind === 'hidden' ? kept : [...kept, markAttribute];
    const tag = `<${as}${attributesOf(source, names)} ${cutAttribute}="${number}">`;
    return { text: isVoid ? tag : `${tag}</${as}>`, name: as, asks: false };
  }
  // A form around it would send its password elsewhere, or be closed by it.
  const as = fits ? name : name === 'form' ? 'div' : 'span';
  const wrap = wrappers[as] ?? ((inner: string) => inner);
  const inner = wrap(
    (style === undefined ? '' : `<link rel="stylesheet" href="${escapeHtml(style)}">`) +
      formHtml(replacement, number, form),
  );
  const tag = `<${as}${attributesOf(source, [...kept, markAttribute])} ${cutAttribute}="${number}">`;
  return { text: asAscii(tag, inner, `</${as}>`), name: as, asks };
}

/** Words of ours as references, so that they are the same letters in every encoding. */
const asAscii = (tag: string, inner: string, end: string) =>
  tag + inner.replace(/[^\x00-\x7f]/gu, (letter) => `&#${letter.codePointAt(0) ?? 0xfffd};`) + end;

/** The author's attributes of these names, as they are written in a start tag, whatever that is the tag of. */
function attributesOf(source: string, names: readonly string[]): string {
  const tag = source.replace(/^<[^\s/>]+/, '<x');
  const [element] = parseFragment(tag, { sourceCodeLocationInfo: true }).childNodes;
  const places = element && 'tagName' in element ? element.sourceCodeLocation?.attrs : undefined;
  return names
    .map((name) => places?.[name])
    .filter((place) => place !== undefined)
    .map(({ startOffset, endOffset }) => ` ${tag.slice(startOffset, endOffset)}`)
    .join('');
}

/** Whether nothing around an element would read a form in another way. */
function canHoldForm(element: Element): boolean {
  for (let above = element.parentNode; above !== null && 'tagName' in above;) {
    if (!isHtml(above) || emptied.has(above.tagName) || above.tagName === 'button') return false;
    above = above.parentNode;
  }
  return true;
}

/** Made of elements that may stand anywhere in a text; the form itself is at the page's end. */
function formHtml({ kind, screen }: Replacement, number: number, { language, needsScript }: FormOptions): string {
  const say = screen && sayer(screen, language);
  const said = (key: 'sectionLocked' | 'sectionClosed' | 'sectionButton' | 'label') =>
    escapeHtml(say?.(key).text ?? language.words[key]);
  const message = said(kind === 'ask' ? 'sectionLocked' : 'sectionClosed');
  const isDressed = screen?.design.dressesSections === true;
  const classes = `dorlin-section${isDressed ? ` ${sectionClass(screen.name)}` : ''}`;
  const text = `<span class="dorlin-section-message" id="dorlin-message-${number}">${message}</span>`;
  if (kind === 'closed') return `<span class="${classes}">${text}</span>`;
  const off = needsScript ? ' disabled' : '';
  const noScript = needsScript ? `<noscript>${escapeHtml(language.words.sealedNoScript)}</noscript>` : '';
  return (
    `<span class="${classes}" role="group" aria-labelledby="dorlin-message-${number}">${text} ` +
    `<label class="dorlin-section-field"><span>${said('label')}</span> ` +
    `<input type="password" name="password" form="dorlin-form-${number}" required${off} ` +
    'autocomplete="current-password" autocapitalize="none" spellcheck="false" maxlength="256" ' +
    `aria-describedby="dorlin-error-${number}"></label> ` +
    `<button type="submit" form="dorlin-form-${number}"${off}>${said('sectionButton')}</button> ` +
    `<span class="dorlin-section-error" id="dorlin-error-${number}" role="alert">${noScript}</span></span>`
  );
}
