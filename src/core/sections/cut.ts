import type { Token } from 'parse5';
import { escapeHtml } from '../screen/html.js';
import { screenLanguages } from '../screen/languages.js';
import type { Screen } from '../screen/screen.js';
import { pieceFor, type Replacement } from './replacement.js';
import { addedAttribute, isSameTreeSteps } from './same-tree.js';
import { atOnce, type Steps } from '../steps.js';
import { NestedTooDeeply, parseWatching, parsingSteps, type WatchedDocument } from './watching-parser.js';
import {
  attribute,
  elementsIn,
  isHtml,
  markAttribute,
  nodesOfStep,
  type Document,
  type Element,
  type Node,
} from './tree.js';

/** A page that was read. */
export interface ReadPage {
  /** The ids of its elements, of those that were asked for. */
  readonly ids: ReadonlySet<string>;
  /** The names of the locks by which its author has marked elements. */
  readonly marks: ReadonlySet<string>;
  /** What was parsed, for the first who cuts it. */
  readonly takeParsed: () => WatchedDocument | undefined;
}

/** What to cut, and what is to stand in its place. */
export interface Cuts {
  readonly ids: ReadonlyMap<string, Replacement>;
  readonly marks: ReadonlyMap<string, Replacement>;
}

/** Where forms are sent, and the addresses of what the page needs. */
export interface CutAddresses {
  readonly unlock: string;
  readonly script: string;
  /** The style of the forms of a screen; undefined where they look like the site. */
  readonly styleOf?: ((screen: Screen) => string | undefined) | undefined;
  /** Whether only that script sends the forms: until it runs, nothing can be typed in them. */
  readonly needsScript?: boolean | undefined;
}

/** A page without its sections, in pieces: the address it was asked for goes between them. */
export interface CutPage {
  readonly parts: readonly string[];
  /** What was taken out and what stands there now, by places in the text as it was, in their order. */
  readonly splices: readonly Splice[];
  /** Whether a section lies within another: what is taken out for one then holds the other. */
  readonly isNested: boolean;
}

/** One piece of a page, and what stands in its place. */
export interface Splice {
  readonly start: number;
  readonly end: number;
  readonly text: string;
  /** What it is replaced by; none, where it only repeats what is in a section. */
  readonly by?: Replacement | undefined;
}

/**
 * Why nothing can be cut out of a page: the tag of a section became no element · it is a page of frames ·
 * the section is `html`, `head` or `body` · it lies in a `select`, or one in the page holds more than options · templates of the page put things into
 * other elements · it lies in a frame's `srcdoc` · what it holds and what others hold are entangled
 */
export type UncutReason = 'stray' | 'frames' | 'whole' | 'select' | 'patches' | 'frame' | 'tangled';

/** Reads an id or a mark as it is meant, where it is not ASCII; as it is, by default. */
export type ReadValue = (value: string) => string;

/**
 * Finds the sections in a page.
 *
 * @param readValue - for a page that is given with one letter for each byte
 * @throws NestedTooDeeply
 */
export function* readingSteps(
  text: string,
  wanted: ReadonlySet<string>,
  readValue: ReadValue = (value) => value,
): Steps<ReadPage> {
  const ids = new Set<string>();
  const marks = new Set<string>();
  const isSection = ({ attrs }: Token.TagToken) =>
    attrs.some(({ name, value }) =>
      name === 'id' ? wanted.has(value) || wanted.has(readValue(value)) : name === markAttribute,
    );
  let parsed: WatchedDocument | undefined = yield* parsingSteps(text, hasName, true, isSection);
  const { document, tags } = parsed;
  const read = (attrs: Element['attrs']) => {
    for (const { name, value } of attrs) {
      if (name === 'id') {
        for (const id of [value, readValue(value)]) if (wanted.has(id)) ids.add(id);
      } else if (name === markAttribute) marks.add(readValue(value.trim()));
    }
  };
  for (const { tag } of tags) {
    read(tag.attrs);
    const srcdoc = tag.attrs.find(({ name }) => name === 'srcdoc');
    if (srcdoc !== undefined) for (const { attrs } of framed(srcdoc.value)) read(attrs);
  }
  // Read by browsers without script only, but sent to all.
  if (tags.some(({ tag }) => tag.tagName === 'noscript')) {
    for (const noscript of elementsIn(document)) {
      if (isNoscript(noscript)) for (const { attrs } of noscriptElementsOf(noscript)) read(attrs);
    }
  }
  const takeParsed = () => {
    const taken = parsed;
    parsed = undefined;
    return taken;
  };
  return { ids, marks, takeParsed };
}

/** The same, at once. @throws NestedTooDeeply */
export const readPage = (...page: Parameters<typeof readingSteps>): ReadPage => atOnce(readingSteps(...page));

/** Whether a tag can name a section at all, or hold one that no tag is seen of. */
const hasName = ({ tagName, attrs }: Token.TagToken) =>
  tagName === 'noscript' || attrs.some(({ name }) => name === 'id' || name === markAttribute || name === 'srcdoc');

/**
 * A page without its sections: its own letters, but for the elements that are cut. What is cut is
 * what a browser holds in the element, by the HTML standard (section 13). That nothing else changes by
 * it is proven: where a parser stands the same before an element and behind it, and what is put in
 * its place leaves it so too, the rest is read alike. Where that is not so, what is made is read once
 * more, and must be the page before less those elements, node by node.
 *
 * @param isReadAgain - whether to read it once more in any case
 * @returns why not, where it is not certain: where tags are nested in a way by which cutting one
 * changes what others hold
 * @throws NestedTooDeeply
 */
export function* cuttingSteps(
  text: string,
  cuts: Cuts,
  addresses: CutAddresses,
  given?: WatchedDocument,
  readValue: ReadValue = (value) => value,
  isReadAgain = false,
): Steps<CutPage | UncutReason> {
  const replacementOf = ({ attrs }: Pick<Element, 'attrs'>) => replacementFor(attrs, cuts, readValue);
  const parsed = given ?? (yield* parsingSteps(text, hasName, true, (tag) => replacementOf(tag) !== undefined));
  const { document, nodes, tags, places } = parsed;
  // What it holds went elsewhere, and cannot be told from what is public.
  if (tags.some(({ tag, isElement }) => !isElement && replacementOf(tag) !== undefined)) {
    return 'stray';
  }
  const root = document.childNodes.find((node) => node.nodeName === 'html') as Element | undefined;
  // A frameset has no body, and shows other pages.
  if (root?.childNodes.some((node) => node.nodeName === 'body') !== true) return 'frames';
  const language = screenLanguages([attribute(root, 'lang') ?? 'en'])[0];

  const shut = new Map<Node, Replacement>();
  for (const [at, node] of nodes.entries()) {
    if (at % nodesOfStep === nodesOfStep - 1) yield;
    const replacement = 'tagName' in node ? replacementOf(node) : undefined;
    if (replacement !== undefined) shut.set(node, replacement);
  }
  if ([...shut.keys()].some((node) => ['html', 'head', 'body'].includes(node.nodeName))) {
    return 'whole';
  }
  // Newer browsers keep in a `select` what older rules, and our parser, put behind it: what follows is read otherwise too.
  if (shut.size > 0 && (parsed.hasStrangeSelect || [...shut.keys()].some(isOfSelect))) return 'select';
  // They also let templates put what they hold into other elements, section or not.
  if (nodes.some((node) => node.nodeName === 'template' && isPatch(node))) {
    return 'patches';
  }
  // Of one within another only the outer is cut: the inner is gone with it.
  const inner = yield* within(nodes, (node) => shut.has(node as Node));

  const splices: Splice[] = [];
  const cut = new Map<Node, { name: string; number: number }>();
  const emptied = new Set<Node>();
  const forms: string[] = [];
  const styles = new Set<string>();
  let isProven = !isReadAgain;
  for (const [node, replacement] of shut) {
    if (inner.has(node)) continue;
    const element = node as Element;
    const place = places.get(element.attrs);
    if (place?.end === undefined || place.end < place.startEnd) return 'tangled';
    const number = cut.size;
    const found = replacement.screen && addresses.styleOf?.(replacement.screen);
    const style = found !== undefined && !styles.has(found) ? found : undefined;
    const tag = text.slice(place.start, place.startEnd);
    const piece = pieceFor(element, replacement, tag, number, {
      language,
      style,
      needsScript: addresses.needsScript === true,
    });
    if (style !== undefined && piece.asks) styles.add(style);
    isProven &&= place.isPlain === true && piece.name === element.tagName && !entangling.has(piece.name);
    cut.set(node, { name: piece.name, number });
    splices.push({ start: place.start, end: place.end, text: piece.text, by: replacement });
    if (piece.asks) forms.push(formOf(element, replacement, number, addresses, readValue));
  }
  let isNested = [...shut.keys()].some((node) => inner.has(node));
  for (const [at, node] of nodes.entries()) {
    if (at % nodesOfStep === nodesOfStep - 1) yield;
    if (!('tagName' in node) || cut.has(node)) continue;
    const isFrame = node.nodeName === 'iframe' && attribute(node, 'srcdoc') !== undefined;
    const holdsFramed = isFrame && framed(attribute(node, 'srcdoc') ?? '').some(replacementOf);
    const holdsUnscripted = isNoscript(node) && noscriptElementsOf(node).some(replacementOf);
    if (inner.has(node)) {
      isNested ||= holdsFramed || holdsUnscripted;
      continue;
    }
    if (holdsFramed) return 'frame';
    if (!holdsUnscripted) continue;
    const place = places.get(node.attrs);
    if (place?.end === undefined) return 'tangled';
    splices.push({ start: place.startEnd, end: place.endStart ?? place.end, text: '' });
    emptied.add(node);
  }
  const script = `<script ${addedAttribute} src="${escapeHtml(addresses.script)}" defer></script>`;
  const made = spliced(text, splices);
  if (made === undefined) return 'tangled';
  const tail = forms.length === 0 ? '' : forms.join('') + script;
  const [first = '', ...others] = tail.split(targetGap);
  const parts = [made + first, ...others];
  const added = forms.length === 0 ? 0 : forms.length + 1;
  isProven &&= emptied.size === 0 && (added === 0 || parsed.takesMore);
  if (isProven) return { parts, splices, isNested };
  const again = yield* readAgain(parts.join(''));
  const isSame = again !== undefined && (yield* isSameTreeSteps(document, again, { cut, emptied, added }));
  return isSame ? { parts, splices, isNested } : 'tangled';
}

/** The same, at once. */
export const cutPage = (...page: Parameters<typeof cuttingSteps>): CutPage | UncutReason =>
  atOnce(cuttingSteps(...page));

/**
 * Elements that are opened anew where they were not closed, so that each is part of how a parser stands;
 * and tables, as what cannot be in one is put before it.
 */
const entangling = new Set(['b', 'i', 'em', 'strong', 'small', 'u', 's', 'table']);

/** Stands in a form for the address that it leads back to; it is never in a page. */
const targetGap = '\0';

function formOf(
  element: Element,
  { lock }: Replacement,
  number: number,
  { unlock }: CutAddresses,
  readValue: ReadValue,
): string {
  const id = attribute(element, 'id');
  const to = id === undefined ? '' : `#${encodeURIComponent(readValue(id).toWellFormed())}`;
  return (
    `<form ${addedAttribute} id="dorlin-form-${number}" method="post" action="${escapeHtml(unlock)}" hidden>` +
    `<input type="hidden" name="lock" value="${escapeHtml(lock)}">` +
    `<input type="hidden" name="to" value="${targetGap}${escapeHtml(to)}"></form>`
  );
}

/** A text with pieces of it replaced; undefined where they overlap. */
function spliced(
  text: string,
  splices: { readonly start: number; readonly end: number; readonly text: string }[],
): string | undefined {
  let made = '';
  let at = 0;
  for (const splice of splices.sort((one, other) => one.start - other.start)) {
    if (splice.start < at) return undefined;
    made += text.slice(at, splice.start) + splice.text;
    at = splice.end;
  }
  return made + text.slice(at);
}

function* readAgain(text: string): Steps<Document | undefined> {
  try {
    return (yield* parsingSteps(text)).document;
  } catch (error) {
    if (error instanceof NestedTooDeeply) return undefined;
    throw error;
  }
}

/** A cut page for an address: where its forms lead back to. */
export function withTarget({ parts }: CutPage, target: string): string {
  return parts.join(escapeHtml(target));
}

function replacementFor(
  attributes: Element['attrs'],
  { ids, marks }: Cuts,
  readValue: ReadValue,
): Replacement | undefined {
  let byMark: Replacement | undefined;
  for (const { name, value } of attributes) {
    const byId = name === 'id' ? (ids.get(value) ?? ids.get(readValue(value))) : undefined;
    if (byId !== undefined) return byId;
    if (name === markAttribute) byMark = marks.get(readValue(value.trim()));
  }
  return byMark;
}

/** All nodes that are within one of a kind; found in one walk, as pages may nest as deep as they like. */
function* within(nodes: readonly Node[], isOne: (node: unknown) => boolean): Steps<Set<unknown>> {
  const inside = new Set<unknown>();
  for (const [at, node] of nodes.entries()) {
    if (at % nodesOfStep === nodesOfStep - 1) yield;
    const above = (node as { parentNode?: unknown }).parentNode;
    if (inside.has(above) || isOne(above)) inside.add(node);
    // What a template holds is in a fragment of its own.
    if ('content' in node && (inside.has(node) || isOne(node))) inside.add(node.content);
  }
  return inside;
}

/** Pages are never nested so deep that this would take long. */
function isOfSelect(node: Node): boolean {
  for (let above: unknown = node; above !== null && above !== undefined;) {
    if ((above as Partial<Element>).tagName === 'select') return true;
    above = (above as { readonly parentNode?: unknown }).parentNode;
  }
  return false;
}

/** Whether a template is a patch for another element, as pages that are sent out of order have them. */
const isPatch = (element: Element) => element.attrs.some(({ name }) => name === 'for');

const isNoscript = (element: Element) => element.tagName === 'noscript' && isHtml(element);

/** A parser with scripts on takes this for text; one with scripts off reads it. */
function noscriptElementsOf(noscript: Element): Element[] {
  const text = noscript.childNodes.map((node) => ('value' in node ? node.value : '')).join('');
  return elementsIn(parseWatching(text, undefined, false).document);
}

/** The elements of a page in a frame that has its text in an attribute, and of the frames in that. */
const framed = (srcdoc: string): Element[] =>
  elementsIn(parseWatching(srcdoc).document).flatMap((element) => {
    const inner = attribute(element, 'srcdoc');
    return inner === undefined ? [element] : [element, ...framed(inner)];
  });
