import { isCollection, isMap, isNode, isScalar, Pair, type Document, type Node } from 'yaml';

/**
 * A copy of a document to edit, the original staying as it was. What is only ever replaced as a whole is
 * shared between them: the scalars of lists, of which a long policy has ten thousand.
 */
export function lightCopy(document: Document.Parsed): Document {
  const copy = Object.create(
    Object.getPrototypeOf(document) as object,
    Object.getOwnPropertyDescriptors(document),
  ) as Document;
  copy.contents = copied(document.contents) as Node | null;
  return copy;
}

function copied(node: unknown): unknown {
  // Setting a key writes into the scalar that is there (`YAMLMap.set`).
  if (!isCollection(node)) return isNode(node) ? node.clone() : node;
  const copy = Object.create(
    Object.getPrototypeOf(node) as object,
    Object.getOwnPropertyDescriptors(node),
  ) as typeof node;
  copy.items = isMap(node)
    ? node.items.map(({ key, value }) => new Pair(key, copied(value)))
    : node.items.map((item) => (isScalar(item) ? item : copied(item)));
  return copy;
}
