import { defaultTreeAdapter } from 'parse5';
import { escapeHtml } from '../screen/html.js';
import type { ScreenLanguage } from '../screen/languages.js';
import { sayer } from '../screen/said.js';
import type { Screen } from '../screen/screen.js';
import { sectionClass } from '../screen/section-style.js';
import { attribute, isHtml, markAttribute, type Element } from './tree.js';

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

/** Elements that can hold a small form as they are. */
const holders = new Set(
  (
    'address article aside blockquote body caption center dd details div dt fieldset figcaption figure ' +
    'footer form h1 h2 h3 h4 h5 h6 header hgroup li main nav p pre search section span summary td th ' +
    'b i em strong small u s mark q cite ins del dfn abbr sub sup time data'
  ).split(' '),
);

/** Elements that cannot, nor anything in their place. */
const emptied = new Set(
  'select optgroup option datalist colgroup col source track param template title textarea'.split(
    ' ',
  ),
);

/** Attributes that are the author's way to find and style an element; others may be content. */
const kept = new Set(['id', 'class', 'lang', 'dir', markAttribute]);

/**
 * Empties an element and puts a comment in, in whose place the replacement is to be written.
 * @returns the replacement as HTML; undefined where there is none
 */
export function replaceContent(
  element: Element,
  replacement: Replacement,
  { number, mark }: { readonly number: number; readonly mark: string },
  language: ScreenLanguage,
): string | undefined {
  element.childNodes = [];
  if ('content' in element) element.content = defaultTreeAdapter.createDocumentFragment();
  element.attrs = element.attrs.filter(({ name }) => kept.has(name));
  element.attrs.push({ name: cutAttribute, value: String(number) });
  const name = element.tagName;
  const hasPlace = isHtml(element) && !emptied.has(name) && canHoldForm(element);
  if (!hasPlace || replacement.kind === 'hidden') {
    // A void element or one with its own way of reading would be read otherwise with attributes
    // alone; what it is makes no difference any more.
    if (isHtml(element) && !holders.has(name) && !(name in wrappers) && !emptied.has(name)) {
      rename(element, 'span');
    }
    return undefined;
  }
  if (!holders.has(name) && !(name in wrappers)) rename(element, 'span');
  // A form around it would send its password elsewhere, or be closed by it.
  if (name === 'form') rename(element, 'div');
  const inner = formHtml(replacement, number, language);
  const wrap = wrappers[element.tagName] ?? ((text: string) => text);
  defaultTreeAdapter.appendChild(element, defaultTreeAdapter.createCommentNode(mark));
  return wrap(inner);
}

/** Whether nothing around an element would read a form in another way. */
function canHoldForm(element: Element): boolean {
  for (let above = element.parentNode; above !== null && 'tagName' in above;) {
    if (!isHtml(above) || emptied.has(above.tagName) || above.tagName === 'button') return false;
    above = above.parentNode;
  }
  return true;
}

function rename(element: Element, name: string): void {
  element.tagName = name;
  element.nodeName = name;
}

/** Made of elements that may stand anywhere in a text; the form itself is at the page's end. */
function formHtml({ kind, screen }: Replacement, number: number, language: ScreenLanguage): string {
  const say = screen && sayer(screen, language);
  const words = (key: 'sectionLocked' | 'sectionClosed' | 'sectionButton' | 'label') =>
    escapeHtml(say?.(key).text ?? language.words[key]);
  const message = words(kind === 'ask' ? 'sectionLocked' : 'sectionClosed');
  const isDressed = screen?.design.dressesSections === true;
  const classes = `dorlin-section${isDressed ? ` ${sectionClass(screen.name)}` : ''}`;
  const text = `<span class="dorlin-section-message" id="dorlin-message-${number}">${message}</span>`;
  if (kind === 'closed') return `<span class="${classes}">${text}</span>`;
  return (
    `<span class="${classes}" role="group" aria-labelledby="dorlin-message-${number}">${text} ` +
    `<label class="dorlin-section-field"><span>${words('label')}</span> ` +
    `<input type="password" name="password" form="dorlin-form-${number}" required ` +
    'autocomplete="current-password" autocapitalize="none" spellcheck="false" maxlength="256" ' +
    `aria-describedby="dorlin-error-${number}"></label> ` +
    `<button type="submit" form="dorlin-form-${number}">${words('sectionButton')}</button> ` +
    `<span class="dorlin-section-error" id="dorlin-error-${number}" role="alert"></span></span>`
  );
}

/** Whether an element is what was put in the place of a section. */
export function isCut(element: Element): boolean {
  return attribute(element, cutAttribute) !== undefined;
}
