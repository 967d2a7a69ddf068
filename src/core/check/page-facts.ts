import { parse } from 'parse5';
import {
  attribute,
  elementsIn,
  markAttribute,
  nodesIn,
  type Document,
  type Element,
} from '../sections/tree.js';

/** What a page leads to and shows, and what it says. */
export interface PageFacts {
  /** Request targets on the same site, and whether they stand in a menu without a condition. */
  readonly links: readonly { readonly target: string; readonly isBareMenu: boolean }[];
  readonly ids: ReadonlySet<string>;
  /** Names of locks that its elements are put under, and that its menus go by. */
  readonly lockNames: ReadonlySet<string>;
  /** Its text, in words. */
  readonly words: readonly string[];
}

const attributes = ['href', 'src', 'poster', 'data'];
/** Elements whose text nobody reads. */
const silent = new Set(['script', 'style', 'template', 'head', 'noscript']);

/**
 * Reads what `check` goes by out of a page.
 * @param base - its whole address, on any host
 */
export function readPageFacts(html: string, base: string): PageFacts {
  const document = parse(html);
  const links: { target: string; isBareMenu: boolean }[] = [];
  const ids = new Set<string>();
  const lockNames = new Set<string>();
  const { origin } = new URL(base);
  for (const element of elementsIn(document)) {
    const id = attribute(element, 'id');
    if (id !== undefined) ids.add(id);
    for (const name of [markAttribute, 'data-dorlin-if', 'data-dorlin-unless']) {
      for (const lock of (attribute(element, name) ?? '').split(/\s+/)) {
        if (lock !== '') lockNames.add(lock);
      }
    }
    for (const value of addressesOf(element)) {
      if (!URL.canParse(value, base)) continue;
      const url = new URL(value, base);
      if (url.origin !== origin) continue;
      const isBareMenu = element.tagName === 'a' && isInBareMenu(element);
      links.push({ target: url.pathname, isBareMenu });
    }
  }
  return { links, ids, lockNames, words: wordsOf(document) };
}

function addressesOf(element: Element): string[] {
  // What a page is made to look with is its own business.
  if (element.tagName === 'link' || element.tagName === 'script') return [];
  const plain = attributes.flatMap((name) => attribute(element, name) ?? []);
  const sets = (attribute(element, 'srcset') ?? '').split(',').map((one) => one.trim().split(/\s/)[0] ?? ''); // prettier-ignore
  return [...plain, ...sets].filter((value) => value !== '');
}

/** Whether an element lies in a menu, and nothing around it goes by open locks. */
function isInBareMenu(element: Element): boolean {
  let isMenu = false;
  for (
    let above: Element['parentNode'] | Element = element;
    above !== null && 'tagName' in above;
    above = above.parentNode
  ) {
    // prettier-ignore
    if (attribute(above, 'data-dorlin-if') !== undefined) return false;
    isMenu ||= above.tagName === 'nav' || attribute(above, 'role') === 'navigation';
  }
  return isMenu;
}

function wordsOf(document: Document): string[] {
  const texts = nodesIn(document).flatMap((node) =>
    'value' in node && !isSilent(node.parentNode) ? node.value : [],
  );
  return wordsIn(texts.join(' '));
}

function isSilent(node: Element['parentNode']): boolean {
  for (let above = node; above !== null && 'tagName' in above; above = above.parentNode) {
    if (silent.has(above.tagName)) return true;
  }
  return false;
}

/** The words of a text, in small letters, without what stands between them. */
export function wordsIn(text: string): string[] {
  return text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];
}
