import { atOnce, type Steps } from '../steps.js';
import { html, type DefaultTreeAdapterTypes as Tree } from 'parse5';

export type Element = Tree.Element;
export type Document = Tree.Document;
export type Node = Tree.Node;

/** The attribute by which an author puts an element under a lock. */
export const markAttribute = 'data-dorlin-lock';

export function attribute(element: Element, name: string): string | undefined {
  return element.attrs.find((one) => one.name === name)?.value;
}

/** Every element of a tree in the order of the source, those in templates too. */
export function elementsIn(root: Tree.Node): Element[] {
  return nodesIn(root).filter((node) => 'tagName' in node);
}

/** Everything in a tree in the order of the source, what is in templates too. */
export const nodesIn = (root: Tree.Node): Tree.Node[] => atOnce(nodesInSteps(root));

/** Nodes that are looked at in one step. */
export const nodesOfStep = 50_000;

/** The same, in steps. */
export function* nodesInSteps(root: Tree.Node): Steps<Tree.Node[]> {
  const found: Tree.Node[] = [];
  // A list instead of calls within calls, as pages may nest as deep as they like.
  const waiting: Tree.Node[] = [root];
  for (let node = waiting.pop(); node !== undefined; node = waiting.pop()) {
    found.push(node);
    if (found.length % nodesOfStep === 0) yield;
    if (!('childNodes' in node)) continue;
    for (let at = node.childNodes.length - 1; at >= 0; at--) {
      const child = node.childNodes[at];
      if (child !== undefined) waiting.push(child);
    }
    if ('content' in node) waiting.push(node.content);
  }
  return found;
}

export const isHtml = (element: Element) => element.namespaceURI === html.NS.HTML;
