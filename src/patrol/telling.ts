import { parse } from 'parse5';
import { cutAttribute } from '../core/sections/replacement.js';
import { attribute, elementsIn, markAttribute, nodesIn, type Document, type Element } from '../core/sections/tree.js';
import { cutWords, saidIn, textBreak, type Words } from './words.js';

/** Elements that are the same on all pages of a site. */
const aside = new Set('nav footer aside template noscript form head button select option svg pre'.split(' '));
const silent = new Set(['script', 'style']);
const asideRoles = new Set(['navigation', 'banner', 'contentinfo', 'search', 'complementary']);
/**
 * What a page says that others do not: the words of its main part, without menus, headers, footers and
 * examples of code, which are much alike.
 */
export function tellingWords(html: string): { readonly words: Words; readonly hasMain: boolean } {
  const main = mainOf(parse(html));
  const hasMain = 'tagName' in main;
  const words = cutWords(saidIn(textOf(main), false));
  // Of a page that is all code, the code is what it says.
  const isCode = words.length < fewWords;
  return { words: isCode ? cutWords(saidIn(textOf(main, true), false)) : words, hasMain };
}

const fewWords = 20;

/** Elements of a page by their ids, or by the lock that they are marked with. */
export interface SectionsMeant {
  readonly ids: readonly string[];
  readonly mark: string;
}

/** What of an answer tells: the main part of a page, how a picture looks; or some elements. */
export type Telling = 'whole' | SectionsMeant;

/** The same for single elements of a page, by their id or by the attribute that names a lock. */
export function tellingSections(html: string, { ids, mark }: SectionsMeant): Words {
  const document = parse(html);
  const meant = elementsIn(document).filter(
    (element) =>
      // What stands in the place of a section says nothing of it.
      attribute(element, cutAttribute) === undefined &&
      (ids.includes(attribute(element, 'id') ?? '') || attribute(element, markAttribute) === mark),
  );
  return cutWords(saidIn(meant.map((element) => textOf(element, true)).join(textBreak), false));
}

function mainOf(document: Document): Element | Document {
  const elements = elementsIn(document);
  const main = elements.filter((one) => one.tagName === 'main' || attribute(one, 'role') === 'main');
  if (main.length === 1 && main[0] !== undefined) return main[0];
  const articles = elements.filter(({ tagName }) => tagName === 'article');
  return articles.length === 1 && articles[0] !== undefined ? articles[0] : document;
}

type Root = Document | Element;

function textOf(root: Root, isWhole = false): string {
  let text = '';
  const isMain = 'tagName' in root;
  const walk = (node: (Root | Element)['childNodes'][number]) => {
    if ('value' in node) text += node.value;
    if (!('tagName' in node)) return;
    if (silent.has(node.tagName)) return;
    if (!isWhole && isBeside(node, isMain)) {
      text += textBreak;
      return;
    }
    text += ' ';
    const alt = attribute(node, 'alt');
    if (alt !== undefined && alt.includes(' ')) text += `${textBreak}${alt}${textBreak}`;
    for (const child of node.childNodes) walk(child);
    text += ' ';
  };
  // Deep trees are made of few pages; those that are too deep are read without their parts.
  try {
    for (const child of root.childNodes) walk(child);
  } catch {
    return nodesIn(root)
      .map((node) => ('value' in node ? node.value : ''))
      .join(' ');
  }
  return text;
}

/** Whether an element is beside what a page is about. */
function isBeside(element: Element, isMain: boolean): boolean {
  const { tagName } = element;
  if (aside.has(tagName) || asideRoles.has(attribute(element, 'role') ?? '')) return true;
  if (attribute(element, 'hidden') !== undefined) return true;
  // The header of an article says what it is about; that of a page says whose site it is.
  return (
    tagName === 'header' &&
    !isMain &&
    element.parentNode !== null &&
    'tagName' in element.parentNode &&
    element.parentNode.tagName === 'body'
  );
}
