import { defaultTreeAdapter, parse, type DefaultTreeAdapterMap } from 'parse5';

export type Element = DefaultTreeAdapterMap['element'];

/** A piece of a text, and what is to stand in its place. */
export interface Edit {
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

/** A text with pieces of it replaced; one within another that is replaced is gone with it. */
export function edited(text: string, edits: readonly Edit[]): string {
  let made = '';
  let at = 0;
  for (const edit of [...edits].sort((one, other) => one.start - other.start)) {
    if (edit.start < at) continue;
    made += text.slice(at, edit.start) + edit.text;
    at = edit.end;
  }
  return made + text.slice(at);
}

/** Every element of a page, with its place in the text; those in templates as well. */
export function elementsOf(letters: string): Element[] {
  const found: Element[] = [];
  const waiting: DefaultTreeAdapterMap['node'][] = [parse(letters, { sourceCodeLocationInfo: true })];
  for (let node = waiting.pop(); node !== undefined; node = waiting.pop()) {
    if (defaultTreeAdapter.isElementNode(node)) found.push(node);
    if ('content' in node) waiting.push(node.content);
    if ('childNodes' in node) waiting.push(...node.childNodes);
  }
  return found;
}

export const attributeOf = (element: Element, name: string): string | undefined =>
  element.attrs.find((one) => one.name === name)?.value;
