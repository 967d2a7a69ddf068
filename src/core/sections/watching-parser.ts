import { Parser, type Token } from 'parse5';
import type { DefaultTreeAdapterMap as TreeMap } from 'parse5';
import { nodesIn, type Document, type Node } from './tree.js';

/** A document, and the start tags of its source that were asked for. */
export interface WatchedDocument {
  readonly document: Document;
  /** All that is in it, in the order of the source. */
  readonly nodes: readonly Node[];
  /** Those of which an element was made, and those that the parser left out. */
  readonly tags: readonly { readonly tag: Token.TagToken; readonly isElement: boolean }[];
}

class WatchingParser extends Parser<TreeMap> {
  readonly watched: Token.TagToken[] = [];

  constructor(readonly isWatched: (tag: Token.TagToken) => boolean) {
    super();
  }

  override onStartTag(token: Token.TagToken): void {
    if (this.isWatched(token)) this.watched.push(token);
    super.onStartTag(token);
  }
}

/**
 * Parses a document (HTML standard section 13.2), and tells of start tags whether they became an
 * element. Some are left out wherever they stand in the wrong place, and what is wrong is not the
 * same for every browser: within `select`, newer ones allow more.
 */
export function parseWatching(
  text: string,
  isWatched: (tag: Token.TagToken) => boolean,
): WatchedDocument {
  const parser = new WatchingParser(isWatched);
  parser.tokenizer.write(text, true);
  const { document, watched } = parser;
  // An element has the very list of attributes of its tag. To ask the parser for positions in the
  // source instead would cost half as much again.
  const nodes = nodesIn(document);
  const made = new Set<unknown>();
  if (watched.length > 0) for (const node of nodes) if ('attrs' in node) made.add(node.attrs);
  const tags = watched.map((tag) => ({ tag, isElement: made.has(tag.attrs) }));
  return { document, nodes, tags };
}
