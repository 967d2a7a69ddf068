import { html, type DefaultTreeAdapterTypes as Tree } from 'parse5';

export type Element = Tree.Element;
export type Document = Tree.Document;

/** The attribute by which an author puts an element under a lock. */
export const markAttribute = 'data-dorlin-lock';

export function attribute(element: Element, name: string): string | undefined {
  return element.attrs.find((one) => one.name === name)?.value;
}

/** Every element of a tree with what is above it, those in templates too. */
export function* elementsIn(node: Tree.Node): Generator<Element> {
  if (!('childNodes' in node)) return;
  for (const child of node.childNodes) {
    if ('tagName' in child) {
      yield child;
      if ('content' in child) yield* elementsIn(child.content);
    }
    yield* elementsIn(child);
  }
}

export const isHtml = (element: Element) => element.namespaceURI === html.NS.HTML;
