import { defaultTreeAdapter, parse, parseFragment, serialize, type Token } from 'parse5';
import { escapeHtml } from '../screen/html.js';
import { screenLanguages } from '../screen/languages.js';
import type { Screen } from '../screen/screen.js';
import { isCut, replaceContent, type Replacement } from './replacement.js';
import { parseWatching, type WatchedDocument } from './watching-parser.js';
import {
  attribute,
  elementsIn,
  isHtml,
  markAttribute,
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
  /** What was parsed, for the first who cuts it: cutting uses it up. */
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
}

/** Stands in a cut page for the address it was asked for; see {@link withTarget}. */
const targetMark = 'dorlin--target--here';

/** Finds the sections in a page. */
export function readPage(text: string, wanted: ReadonlySet<string>): ReadPage {
  const ids = new Set<string>();
  const marks = new Set<string>();
  let parsed: WatchedDocument | undefined = parseWatching(text, hasName);
  const { document, tags } = parsed;
  for (const { tag } of tags) {
    for (const { name, value } of tag.attrs) {
      if (name === 'id' && wanted.has(value)) ids.add(value);
      else if (name === markAttribute) marks.add(value.trim());
    }
  }
  // Read by browsers without script only, but sent to all.
  if (tags.some(({ tag }) => tag.tagName === 'noscript')) {
    for (const found of noscriptElements(document, { ids: wanted, marks: undefined })) {
      const mark = attribute(found, markAttribute);
      if (mark !== undefined) marks.add(mark.trim());
    }
  }
  const takeParsed = () => {
    const taken = parsed;
    parsed = undefined;
    return taken;
  };
  return { ids, marks, takeParsed };
}

/** Whether a tag can name a section at all, or hold one that no tag is seen of. */
const hasName = ({ tagName, attrs }: Token.TagToken) =>
  tagName === 'noscript' || attrs.some(({ name }) => name === 'id' || name === markAttribute);

/**
 * A page without the content of its sections. Read and written by the HTML standard (section 13),
 * so what is cut is what a browser holds in the element, however the tags are nested.
 *
 * @returns undefined where it is not certain that nothing is left of it
 */
export function cutPage(
  text: string,
  cuts: Cuts,
  addresses: CutAddresses,
  parsed: WatchedDocument = parseWatching(text, hasName),
): string | undefined {
  const { document, nodes, tags } = parsed;
  const isCutHere = ({ attrs }: Token.TagToken) => replacementFor(attrs, cuts) !== undefined;
  // What it holds went elsewhere, and cannot be told from what is public.
  if (tags.some(({ tag, isElement }) => !isElement && isCutHere(tag))) return undefined;
  const root = document.childNodes.find((node) => node.nodeName === 'html') as Element | undefined;
  const body = root?.childNodes.find((node) => node.nodeName === 'body') as Element | undefined;
  // A frameset has no body, and shows other pages.
  if (root === undefined || body === undefined) return undefined;
  const language = screenLanguages([attribute(root, 'lang') ?? 'en'])[0];

  // Before anything is cut: what could become a tag in a section could do so outside of it too.
  const isToBeRead = mayChange(nodes);
  const shut = nodes.filter(
    (node): node is Element => 'tagName' in node && replacementOf(node, cuts) !== undefined,
  );
  // Of one within another only the outer is cut: the inner is gone with it.
  const outermost = shut.filter((element) => !isWithin(element, new Set(shut)));
  if (outermost.some((element) => ['html', 'head', 'body'].includes(element.tagName))) {
    return undefined;
  }
  // Newer browsers keep in a `select` what older rules, and our parser, put behind it.
  if (outermost.some(isOfSelect)) return undefined;
  let mark = 'dorlin';
  while (text.includes(mark)) mark += '-';
  // Written in at last: reading them into the tree first costs a tenth of all this.
  const pieces: string[] = [];
  const forms: string[] = [];
  const styles = new Set<string>();
  outermost.forEach((element, number) => {
    const replacement = replacementOf(element, cuts);
    if (replacement === undefined) return;
    const piece = replaceContent(element, replacement, { number, mark }, language);
    if (piece === undefined) return;
    const style = replacement.screen && addresses.styleOf?.(replacement.screen);
    if (style !== undefined) styles.add(style);
    pieces.push(piece);
    if (replacement.kind !== 'ask') return;
    const id = attribute(element, 'id');
    const to = `${targetMark}${id === undefined ? '' : `#${encodeURIComponent(id)}`}`;
    forms.push(
      `<form id="dorlin-form-${number}" method="post" action="${escapeHtml(addresses.unlock)}" hidden>` +
        `<input type="hidden" name="lock" value="${escapeHtml(replacement.lock)}">` +
        `<input type="hidden" name="to" value="${escapeHtml(to)}"></form>`,
    );
  });
  for (const noscript of nodes) {
    if (!('tagName' in noscript) || noscript.tagName !== 'noscript') continue;
    const inside = noscriptElementsOf(noscript);
    if (inside.some((element) => replacementOf(element, cuts))) noscript.childNodes = [];
  }
  const head = root.childNodes.find((node) => node.nodeName === 'head') as Element | undefined;
  for (const href of styles) {
    const attributes = [
      { name: 'rel', value: 'stylesheet' },
      { name: 'href', value: href },
    ];
    const link = defaultTreeAdapter.createElement('link', root.namespaceURI, attributes);
    defaultTreeAdapter.appendChild(head ?? body, link);
  }
  if (forms.length > 0) {
    const script = `<script src="${escapeHtml(addresses.script)}" defer></script>`;
    pieces.push(forms.join('') + script);
    defaultTreeAdapter.appendChild(body, defaultTreeAdapter.createCommentNode(mark));
  }
  const parts = serialize(document).split(`<!--${mark}-->`);
  // Where a part could not be written, its piece would stand in the place of another.
  if (parts.length !== pieces.length + 1) return undefined;
  const cut = parts.map((part, at) => part + (pieces[at] ?? '')).join('');
  return !isToBeRead || isClean(cut, cuts) ? cut : undefined;
}

/** A cut page for an address: where its forms lead back to. */
export function withTarget(cut: string, target: string): string {
  return cut.replaceAll(targetMark, () => escapeHtml(target));
}

const replacementOf = (element: Element, cuts: Cuts) => replacementFor(element.attrs, cuts);

function replacementFor(
  attributes: Element['attrs'],
  { ids, marks }: Cuts,
): Replacement | undefined {
  let byMark: Replacement | undefined;
  for (const { name, value } of attributes) {
    const byId = name === 'id' ? ids.get(value) : undefined;
    if (byId !== undefined) return byId;
    if (name === markAttribute) byMark = marks.get(value.trim());
  }
  return byMark;
}

function isWithin(element: Element, others: ReadonlySet<unknown>): boolean {
  let above: unknown = element.parentNode;
  while (above !== null && above !== undefined) {
    if (others.has(above)) return true;
    above = parentOf(above);
  }
  return false;
}

function isOfSelect(element: Element): boolean {
  let above: unknown = element;
  while (above !== null && above !== undefined) {
    if ((above as { tagName?: string }).tagName === 'select') return true;
    above = parentOf(above);
  }
  return false;
}

/** What is above a node; the template above what it holds is found from outside. */
function parentOf(node: unknown): unknown {
  return (node as { parentNode?: unknown }).parentNode;
}

/** Elements whose text is written as it is. */
const raw = new Set('script style xmp iframe noembed noframes noscript plaintext'.split(' '));

/**
 * Whether a page might have a section when it is read again that it has not now. Tags and text are
 * escaped as they are written, so only what is not could become a tag: text of some elements,
 * comments and attributes. Where none of them has anything like a tag with the name of a section,
 * reading the page again, which costs as much as the rest, would tell nothing.
 */
function mayChange(nodes: readonly Node[]): boolean {
  return nodes.some((node) => {
    if ('attrs' in node) return node.attrs.some(({ value }) => isLikeSection(value));
    if ('data' in node) return isLikeSection(node.data);
    if (!('value' in node)) return false;
    const { parentNode } = node;
    const isRaw = parentNode !== null && 'tagName' in parentNode && raw.has(parentNode.tagName);
    return isRaw && isLikeSection(node.value);
  });
}

const isLikeSection = (text: string) =>
  text.includes('<') && (sectionName.test(text) || text.includes('&'));

const sectionName = new RegExp(`id\\s*=|${markAttribute}`, 'i');

/** Reads the page once more: serializing and reading again may nest strange tags otherwise. */
function isClean(text: string, cuts: Cuts): boolean {
  const document = parse(text);
  for (const element of elementsIn(document)) {
    if (replacementOf(element, cuts) !== undefined && !isCut(element)) return false;
  }
  return noscriptElements(document, cuts).length === 0;
}

/** Elements within `noscript` that ids or marks name; all marked ones, if no marks are given. */
function noscriptElements(
  document: Document,
  { ids, marks }: { ids: { has(id: string): boolean }; marks: Cuts['marks'] | undefined },
): Element[] {
  return elementsIn(document)
    .filter((element) => element.tagName === 'noscript' && isHtml(element))
    .flatMap(noscriptElementsOf)
    .filter((element) => {
      const id = attribute(element, 'id');
      const mark = attribute(element, markAttribute);
      if (id !== undefined && ids.has(id)) return true;
      return mark !== undefined && (marks === undefined || marks.has(mark.trim()));
    });
}

/** A parser with scripts on takes this for text; one with scripts off reads it. */
function noscriptElementsOf(noscript: Element): Element[] {
  const text = noscript.childNodes.map((node) => ('value' in node ? node.value : '')).join('');
  return elementsIn(parseFragment(text, { scriptingEnabled: false }));
}
