import { cutAttribute } from './replacement.js';
import type { Steps } from '../steps.js';
import { attribute, nodesOfStep, type Document, type Element, type Node } from './tree.js';

/** What was cut out of a page, and what was put into it. */
export interface Changes {
  /** By element of the page: the name of what stands in its place, and its number. */
  readonly cut: ReadonlyMap<Node, { readonly name: string; readonly number: number }>;
  /** Elements of which the content alone is gone. */
  readonly emptied: ReadonlySet<Node>;
  /** How many elements of ours stand at the end of it all. */
  readonly added: number;
}

/**
 * Whether a page that was cut is read as the page before it but for what was cut: node by node,
 * names, attributes, text and order. What stands at its end may be within whatever is open there.
 */
export function* isSameTreeSteps(before: Document, after: Document, changes: Changes): Steps<boolean> {
  let count = 0;
  if (before.mode !== after.mode) return false;
  let { added } = changes;
  const waiting: [Node, Node][] = [[before, after]];
  for (let pair = waiting.pop(); pair !== undefined; pair = waiting.pop()) {
    const [one, other] = pair;
    if (++count % nodesOfStep === 0) yield;
    const cut = changes.cut.get(one);
    if (cut !== undefined) {
      if (!('tagName' in other) || other.tagName !== cut.name) return false;
      if (attribute(other, cutAttribute) !== String(cut.number)) return false;
      continue;
    }
    if (!isSameNode(one, other)) return false;
    if ('content' in one && 'content' in other) waiting.push([one.content, other.content]);
    if (!('childNodes' in one) || !('childNodes' in other)) continue;
    const children = changes.emptied.has(one) ? [] : one.childNodes;
    const extra = other.childNodes.length - children.length;
    if (extra !== 0) {
      const ours = other.childNodes.slice(children.length);
      if (extra !== added || !ours.every(isOurs)) return false;
      added = 0;
    }
    for (const [at, child] of children.entries()) {
      const same = other.childNodes[at];
      if (same === undefined) return false;
      waiting.push([child, same]);
    }
  }
  return added === 0;
}

/** The mark of what is put at a page's end. */
export const addedAttribute = 'data-dorlin-added';

const isOurs = (node: Node) => 'tagName' in node && attribute(node, addedAttribute) !== undefined;

function isSameNode(one: Node, other: Node): boolean {
  if (one.nodeName !== other.nodeName) return false;
  if ('tagName' in one) return 'tagName' in other && isSameTag(one, other);
  if ('value' in one) return 'value' in other && one.value === other.value;
  if ('data' in one) return 'data' in other && one.data === other.data;
  if ('publicId' in one) {
    return (
      'publicId' in other &&
      one.name === other.name &&
      one.publicId === other.publicId &&
      one.systemId === other.systemId
    );
  }
  return true;
}

function isSameTag(one: Element, other: Element): boolean {
  if (one.tagName !== other.tagName || one.namespaceURI !== other.namespaceURI) return false;
  if (one.attrs.length !== other.attrs.length) return false;
  return one.attrs.every((given, at) => {
    const same = other.attrs[at];
    return (
      same !== undefined &&
      given.name === same.name &&
      given.value === same.value &&
      given.namespace === same.namespace &&
      given.prefix === same.prefix
    );
  });
}
