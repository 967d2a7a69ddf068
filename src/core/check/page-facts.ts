import { parse } from 'parse5';
import {
  attribute,
  elementsIn,
  markAttribute,
  type Document,
  type Element,
} from '../sections/tree.js';

/** What a page leads to and shows, and what it says. */
export interface PageFacts {
  /** Request targets on the same site, and whether they stand in a menu without a condition. */
  readonly links: readonly { readonly target: string; readonly isBareMenu: boolean }[];
  /** Request targets of what it needs to look as it should: style sheets, scripts, pictures, media. */
  readonly needs: readonly string[];
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
  const needs = new Set<string>();
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
    const here = (value: string) => {
      if (!URL.canParse(value, base)) return undefined;
      const url = new URL(value, base);
      return url.origin === origin ? url.pathname : undefined;
    };
    const isNeeded = needing.has(element.tagName) || isLookOf(element);
    for (const value of addressesOf(element)) {
      const target = here(value);
      if (target === undefined) continue;
      if (isNeeded) needs.add(target);
      // What a page is made to look with is its own business.
      if (element.tagName === 'link' || element.tagName === 'script') continue;
      const isBareMenu = element.tagName === 'a' && isInBareMenu(element);
      links.push({ target, isBareMenu });
    }
  }
  return { links, needs: [...needs], ids, lockNames, words: wordsOf(document) };
}

/** Elements that show what they name, or run it. */
const needing = new Set(['img', 'source', 'script', 'video', 'audio', 'track', 'input', 'embed']);

/** Whether an element names what its page looks with. */
function isLookOf(element: Element): boolean {
  const words = (attribute(element, 'rel') ?? '').toLowerCase().split(/\s+/);
  return element.tagName === 'link' && words.includes('stylesheet');
}

function addressesOf(element: Element): string[] {
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
  const texts: string[] = [];
  // Not by recursion: pages may be nested as deep as they like.
  const left: unknown[] = [document];
  while (left.length > 0) {
    const node = left.pop() as Partial<Element> & { readonly value?: string };
    if (node.value !== undefined) texts.push(node.value);
    if (node.tagName !== undefined && silent.has(node.tagName)) continue;
    const inside = node.childNodes ?? [];
    for (let at = inside.length - 1; at >= 0; at--) left.push(inside[at]);
  }
  return wordsIn(texts.join(' '));
}

/** The words of a text, in small letters, without what stands between them. */
export function wordsIn(text: string): string[] {
  return text.toLowerCase().match(/[\p{L}\p{N}]+/gu) ?? [];
}
