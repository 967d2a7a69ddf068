import { Parser, Token, Tokenizer, TokenizerMode, type DefaultTreeAdapterMap as TreeMap } from 'parse5';
import { atOnce, type Steps } from '../steps.js';
import { isSameState, stateOf, takesMore, type ParserState } from './parser-state.js';
import { nodesInSteps, type Document, type Node } from './tree.js';

/** Where an element stands in its source. */
export interface Place {
  readonly start: number;
  /** Behind its start tag. */
  startEnd: number;
  /** Where its end tag begins, if it has one. */
  endStart?: number | undefined;
  /** Behind all of it. Undefined where that is not known for certain. */
  end?: number | undefined;
  /**
   * Whether the parser stood behind it exactly as it stood before it, and put nothing of it elsewhere:
   * then what follows is read alike without it.
   */
  isPlain?: true;
  /** Whether it ended before its own end tag, which then ended nothing: its author meant it to hold more. */
  endsEarly?: true;
}

/** A document, and the start tags of its source that were asked for. */
export interface WatchedDocument {
  readonly document: Document;
  /** All that is in it, in the order of the source. */
  readonly nodes: readonly Node[];
  /** Those of which an element was made, and those that the parser left out. */
  readonly tags: readonly { readonly tag: Token.TagToken; readonly isElement: boolean }[];
  /** Where the elements of these tags stand, by their lists of attributes. */
  readonly places: ReadonlyMap<unknown, Place>;
  /**
   * Whether a `select` holds anything but options and groups in balance. Browsers of today keep it there (customizable
   * select); the rules of our parser, and of older browsers, drop the tags or put them behind it.
   */
  readonly hasStrangeSelect: boolean;
  /** Whether forms that are written behind it all become its last elements, whatever it ends with. */
  readonly takesMore: boolean;
}

/**
 * A page whose elements are nested deeper than browsers keep them (Chromium: 512): what it holds there
 * stands elsewhere in a browser, and to read it takes the longer the deeper it goes.
 */
export class NestedTooDeeply extends Error {}

const maxDepth = 500;

/** Of more sections in a page it is not noted how the parser stood: each takes as long as the page is deep. */
const mostStates = 1000;

/** Notes where tags begin. To let the parser note where everything stands takes three times as long. */
class WatchingTokenizer extends Tokenizer {
  tagStart = 0;

  get isPaused(): boolean {
    return this.paused;
  }
  set isPaused(is: boolean) {
    this.paused = is;
  }

  protected override _createStartTagToken(): void {
    super._createStartTagToken();
    this.tagStart = this.preprocessor.offset - 1;
  }
  protected override _createEndTagToken(): void {
    super._createEndTagToken();
    this.tagStart = this.preprocessor.offset - 2;
  }
}

/** Watches what is written within `select`, whatever a parser makes of it. */
class SelectWatch {
  isStrange = false;
  /** The options and groups that are open in the `select` that is; undefined outside of one. */
  #open: string[] | undefined;

  start(name: string): void {
    const open = this.#open;
    if (open === undefined) {
      if (name === 'select') this.#open = [];
      return;
    }
    if (open.at(-1) === 'option') open.pop();
    if (name === 'option') open.push(name);
    else if (name === 'optgroup' || name === 'hr') {
      if (open.at(-1) === 'optgroup') open.pop();
      if (name === 'optgroup') open.push(name);
    } else this.isStrange = true;
  }

  end(name: string): void {
    const open = this.#open;
    if (open === undefined) return;
    if (name === 'select') {
      this.#open = undefined;
      return;
    }
    if (name === 'optgroup' && open.at(-1) === 'option') open.pop();
    if (open.pop() !== name) this.isStrange = true;
  }

  finish(): boolean {
    return this.isStrange || this.#open !== undefined;
  }
}

/** Start tags that are read in one step. */
const tagsOfStep = 2000;

class WatchingParser extends Parser<TreeMap> {
  #tagsLeft = tagsOfStep;
  readonly watched: Token.TagToken[] = [];
  readonly places = new Map<unknown, Place>();
  readonly selects = new SelectWatch();
  takesMore = false;
  #isAtEnd = false;
  readonly #tokenizer: WatchingTokenizer;
  /** How the parser stood before those sections that are open. */
  readonly #before = new Map<Place, ParserState>();
  #states = 0;
  #closed: Place[] = [];
  /** The last element of a name that another start tag ended. */
  readonly #cutShort = new Map<string, Place>();

  constructor(
    readonly isWatched: (tag: Token.TagToken) => boolean,
    readonly isSection: (tag: Token.TagToken) => boolean,
    scriptingEnabled: boolean,
  ) {
    super({ scriptingEnabled });
    this.#tokenizer = new WatchingTokenizer(this.options, this);
    this.tokenizer = this.#tokenizer;
  }

  override onStartTag(token: Token.TagToken): void {
    // As for a script that has to run first: the tokenizer stops behind this tag, and goes on from there.
    if (--this.#tagsLeft === 0) this.#tokenizer.isPaused = true;
    if (this.isWatched(token)) {
      this.watched.push(token);
      const { tagStart, preprocessor } = this.#tokenizer;
      const place: Place = { start: tagStart, startEnd: preprocessor.offset + 1 };
      this.places.set(token.attrs, place);
      if (this.isSection(token) && this.#states < mostStates) {
        this.#states++;
        const state = stateOf(this);
        if (state !== undefined) this.#before.set(place, state);
      }
    }
    this.#noteRoot(token);
    this.selects.start(token.tagName);
    super.onStartTag(token);
    if (this.openElements.stackTop > maxDepth) throw new NestedTooDeeply();
  }

  override onEndTag(token: Token.TagToken): void {
    this.#noteRoot(token);
    this.selects.end(token.tagName);
    const early = this.#cutShort.get(token.tagName);
    if (early !== undefined) {
      const open = this.openElements.items.slice(0, this.openElements.stackTop + 1);
      if (!open.some((node) => 'tagName' in node && node.tagName === token.tagName)) {
        early.endsEarly = true;
      }
      this.#cutShort.delete(token.tagName);
    }
    super.onEndTag(token);
    for (const place of this.#closed) {
      const before = this.#before.get(place);
      if (before !== undefined && isSameState(before, this)) place.isPlain = true;
      this.#before.delete(place);
    }
    if (this.#closed.length > 0) this.#closed = [];
  }

  override onEof(token: Token.EOFToken): void {
    // Asked once: what is open is closed, and then the end is read again.
    if (!this.#isAtEnd) {
      const isText = this.#tokenizer.state === (TokenizerMode.DATA as typeof this.tokenizer.state);
      this.takesMore = isText && takesMore(this);
      this.#isAtEnd = true;
    }
    super.onEof(token);
  }

  /** What these tags hold goes to elements around all sections. */
  #noteRoot({ tagName }: Token.TagToken): void {
    if (tagName === 'body' || tagName === 'html') this.#before.clear();
  }

  /** An element ends with its own end tag, or before whatever else ended it. */
  override onItemPop(node: TreeMap['parentNode'], isTop: boolean): void {
    const place = 'attrs' in node ? this.places.get(node.attrs) : undefined;
    if (place !== undefined && 'tagName' in node) {
      const { tagStart, preprocessor } = this.#tokenizer;
      const token = this.currentToken;
      const isTag = token?.type === Token.TokenType.START_TAG || token?.type === Token.TokenType.END_TAG;
      if (isTag && token.attrs === node.attrs) place.end = place.startEnd;
      else if (token?.type === Token.TokenType.END_TAG && token.tagName === node.tagName) {
        place.endStart = tagStart;
        place.end = preprocessor.offset + 1;
        if (this.#before.has(place)) this.#closed.push(place);
      } else if (isTag) {
        place.end = tagStart;
        if (token.type === Token.TokenType.START_TAG) this.#cutShort.set(node.tagName, place);
      } else place.end = undefined;
      // What is neither is a letter, and no place is known of those.
      if (place.end === undefined) this.places.delete(node.attrs);
    }
    super.onItemPop(node, isTop);
  }

  /** Reads a document in steps. */
  *steps(text: string): Steps<void> {
    this.tokenizer.write(text, true);
    while (this.#tokenizer.isPaused) {
      yield;
      this.#tagsLeft = tagsOfStep;
      this.tokenizer.resume();
    }
    this.#finish(text.length);
  }

  /** Where elements end that nothing ended: with the text; and those that have no end, with their tag. */
  #finish(length: number): void {
    for (const node of this.openElements.items.slice(0, this.openElements.stackTop + 1)) {
      const place = 'attrs' in node ? this.places.get(node.attrs) : undefined;
      if (place !== undefined) place.end ??= length;
    }
    for (const place of this.places.values()) place.end ??= place.startEnd;
  }
}

/**
 * Parses a document (HTML standard section 13.2), and tells of start tags whether they became an
 * element, and where that stands. Some are left out wherever they stand in the wrong place, and what
 * is wrong is not the same for every browser: within `select`, newer ones allow more.
 *
 * @param isSection - of watched tags, those whose elements may be cut
 * @param scriptingEnabled - whether what is in `noscript` is text, as to browsers with scripts
 * @throws NestedTooDeeply
 */
export function* parsingSteps(
  text: string,
  isWatched: (tag: Token.TagToken) => boolean = () => false,
  scriptingEnabled = true,
  isSection: (tag: Token.TagToken) => boolean = () => false,
): Steps<WatchedDocument> {
  const parser = new WatchingParser(isWatched, isSection, scriptingEnabled);
  yield* parser.steps(text);
  const { document, watched, places } = parser;
  // An element has the very list of attributes of its tag.
  const nodes = yield* nodesInSteps(document);
  const wanted = new Set<unknown>(watched.map(({ attrs }) => attrs));
  const made = new Set<unknown>();
  if (wanted.size > 0) for (const node of nodes) if ('attrs' in node && wanted.has(node.attrs)) made.add(node.attrs);
  const tags = watched.map((tag) => ({ tag, isElement: made.has(tag.attrs) }));
  return { document, nodes, tags, places, takesMore: parser.takesMore, hasStrangeSelect: parser.selects.finish() };
}

/** The same, at once. @throws NestedTooDeeply */
export const parseWatching = (...page: Parameters<typeof parsingSteps>): WatchedDocument =>
  atOnce(parsingSteps(...page));
