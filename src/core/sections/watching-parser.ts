import { Parser, type Token } from 'parse5';
import type { DefaultTreeAdapterMap as TreeMap } from 'parse5';
import { elementsIn, type Document } from './tree.js';

/** A document, and the start tags of its source that were asked for. */
export interface WatchedDocument {
  readonly document: Document;
  /** Those of which an element was made, and those that the parser left out. */
  readonly tags: readonly { readonly tag: Token.TagToken; readonly isElement: boolean }[];
}

class WatchingParser extends Parser<TreeMap> {
  readonly startTags: Token.TagToken[] = [];

  override onStartTag(token: Token.TagToken): void {
    this.startTags.push(token);
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
  const parser = new WatchingParser({ sourceCodeLocationInfo: true });
  parser.tokenizer.write(text, true);
  const { document } = parser;
  const watched = parser.startTags.filter(isWatched);
  const made = new Set<number>();
  if (watched.length > 0) {
    for (const { sourceCodeLocation } of elementsIn(document)) {
      if (sourceCodeLocation) made.add(sourceCodeLocation.startOffset);
    }
  }
  const tags = watched.map((tag) => ({
    tag,
    isElement: tag.location !== null && made.has(tag.location.startOffset),
  }));
  return { document, tags };
}
