import {
  Document,
  isAlias,
  isCollection,
  isMap,
  isNode,
  isPair,
  isScalar,
  isSeq,
  Pair,
  parseDocument,
  Scalar,
  type Node,
} from 'yaml';
import {
  endOf,
  endOfPair,
  hasRange,
  indentOfLine,
  layoutOf,
  lineEnd,
  lineStart,
  startWithComments,
  type Layout,
} from './source.js';
import { parseWritten, type WrittenPolicy } from './read.js';

/** One piece of a text that is put in the place of another. */
interface Splice {
  readonly start: number;
  readonly end: number;
  readonly text: string;
}

/**
 * The text of an edited document in which nothing but the edit is changed: indentation, line ends,
 * comments, quotes and brackets of everything else stay as their owner wrote them.
 *
 * @param before - the document as it was read from the text
 * @param after - the same, edited; what was not touched in it still knows where it stood
 * @returns the text, and what it is read as; undefined where that cannot be done for certain
 */
export function patchedText(
  text: string,
  before: Document,
  after: Document,
): (WrittenPolicy & { readonly text: string }) | undefined {
  const layout = layoutOf(text, before.contents);
  const splices: Splice[] = [];
  try {
    changesIn({ text, layout, splices }, before.contents, after.contents);
  } catch (error) {
    if (error instanceof NotPossible) return undefined;
    throw error;
  }
  splices.sort((one, other) => one.start - other.start || one.end - other.end);
  let patched = '';
  let at = 0;
  for (const splice of splices) {
    if (splice.start < at) return undefined;
    patched += text.slice(at, splice.start) + splice.text;
    at = splice.end;
  }
  patched += text.slice(at);
  const read = parseWritten(patched);
  const isMeant = read.document.errors.length === 0 && isAlike(read.document.contents, after.contents);
  return isMeant ? { ...read, text: patched } : undefined;
}

class NotPossible extends Error {}

interface Patching {
  readonly text: string;
  readonly layout: Layout;
  readonly splices: Splice[];
}

/** A scalar as it was read, or a value that an edit has put into a map as it is. */
const isPlain = (node: unknown) => isScalar(node) || typeof node !== 'object' || node === null;
const plain = (node: unknown): unknown => (isScalar(node) ? node.value : node);

/** Whether two nodes mean the same, however they are written. Order counts, comments do not. */
function isAlike(one: unknown, other: unknown): boolean {
  if (one === other) return true;
  if (isPlain(one) || isPlain(other)) return isPlain(one) && isPlain(other) && plain(one) === plain(other);
  if (isPair(one)) return isPair(other) && isAlike(one.key, other.key) && isAlike(one.value, other.value);
  if (isAlias(one)) return isAlias(other) && one.source === other.source;
  if (!isCollection(one) || !isCollection(other) || isMap(one) !== isMap(other)) return false;
  const [these, those] = [one.items as unknown[], other.items as unknown[]];
  return these.length === those.length && these.every((item, at) => isAlike(item, those[at]));
}

/** What has to be changed so that one collection of the source becomes another. */
function changesIn(patching: Patching, before: unknown, after: unknown): void {
  if (isAlike(before, after)) return;
  const isSame =
    isCollection(before) &&
    isCollection(after) &&
    isMap(before) === isMap(after) &&
    hasRange(before) &&
    hasRange(after) &&
    (before.flow === true) === (after.flow === true) &&
    before.items.length > 0;
  if (!isSame) throw new NotPossible();
  const old = before.items as unknown[];
  const fresh = after.items as unknown[];
  const placeIn = (item: unknown) => {
    const node = isPair(item) ? item.key : item;
    return hasRange(node) ? node.range[0] : undefined;
  };
  const known = new Map(old.map((item) => [placeIn(item), item]));
  const kept = new Set(fresh.map(placeIn));
  const gone = old.filter((item) => !kept.has(placeIn(item)));
  if (gone.length === old.length) throw new NotPossible();
  for (const item of gone) remove(patching, before.flow === true, item, old);
  let previous: unknown;
  let added: unknown[] = [];
  const addThem = () => {
    if (added.length > 0) insert(patching, after, added, previous);
    added = [];
  };
  for (const item of fresh) {
    const source = placeIn(item) === undefined ? undefined : known.get(placeIn(item));
    if (source === undefined) {
      added.push(item);
      continue;
    }
    addThem();
    previous = source;
    if (isPair(source) && isPair(item)) changesOfValue(patching, source, item);
    else if (!isAlike(source, item)) changesIn(patching, source, item);
  }
  addThem();
}

/** What has to be changed so that a key has another value. */
function changesOfValue(patching: Patching, before: Pair, after: Pair): void {
  if (isAlike(before.value, after.value)) return;
  const mark = patching.splices.length;
  try {
    changesIn(patching, before.value, after.value);
    return;
  } catch (error) {
    if (!(error instanceof NotPossible)) throw error;
    patching.splices.length = mark;
  }
  const { text, splices } = patching;
  const key: unknown = before.key;
  const end = endOfPair(before);
  if (!hasRange(key) || end === undefined) throw new NotPossible();
  // In a flow map, or on the line of a dash, what follows would have to stay on that line.
  const start = lineStart(text, key.range[0]);
  const isAlone = text.slice(start, key.range[0]).trim() === '';
  const rendered = rendering(patching, [bare(after)], isAlone ? key.range[0] - start : 0, false);
  const lines = rendered.trimEnd();
  if (!isAlone && lines.includes('\n')) throw new NotPossible();
  splices.push({ start: isAlone ? start : key.range[0], end, text: lines });
}

/** A pair without the comments around it, which stay where they are in the text. */
function bare({ key, value }: Pair): Pair {
  const copy = isNode(value) ? (value.clone() as Node) : value;
  if (isNode(copy)) {
    copy.comment = null;
    copy.commentBefore = null;
    copy.spaceBefore = false;
  }
  return new Pair(isScalar(key) ? new Scalar(key.value) : key, copy);
}

function startOf(item: unknown): number {
  const node = isPair(item) ? item.key : item;
  if (!hasRange(node)) throw new NotPossible();
  return node.range[0];
}

function endOfItem(item: unknown): number {
  const end = isPair(item) ? endOfPair(item) : endOf(item);
  if (end === undefined) throw new NotPossible();
  return end;
}

/** Takes an item out: with its lines and its comments, or with the comma beside it. */
function remove(patching: Patching, isFlow: boolean, item: unknown, all: readonly unknown[]): void {
  const { text, splices } = patching;
  const start = startOf(item);
  const end = endOfItem(item);
  if (!isFlow) {
    const first = text.slice(lineStart(text, start), start).replace(/^ *(?:- +)?/, '');
    // The first key of a map that is itself an item stands on the line of its dash.
    if (first !== '' || (isPair(item) && /- *$/.test(text.slice(lineStart(text, start), start))))
      throw new NotPossible();
    splices.push({ start: startWithComments(text, start), end: lineEnd(text, end), text: '' });
    return;
  }
  const at = all.indexOf(item);
  const next = all[at + 1];
  // Up to what follows, or else from what comes before.
  if (next !== undefined) {
    const comment = text.slice(end, startOf(next)).includes('#');
    if (comment) throw new NotPossible();
    splices.push({ start, end: startOf(next), text: '' });
  } else splices.push({ start: endOfItem(all[at - 1]), end, text: '' });
}

/** Puts items behind another, in the way in which that is written. */
function insert(patching: Patching, into: unknown, items: readonly unknown[], previous: unknown): void {
  if (!isCollection(into) || previous === undefined) throw new NotPossible();
  const { text, layout, splices } = patching;
  const end = endOfItem(previous);
  if (into.flow === true) {
    const rendered = rendering(patching, items, 0, true);
    splices.push({ start: end, end, text: `, ${rendered}` });
    return;
  }
  const at = lineEnd(text, end);
  const isOpenLine = at === text.length && !text.endsWith('\n');
  const column = indentOfLine(text, startOf(previous));
  const line = text.slice(lineStart(text, startOf(previous)), startOf(previous));
  // Keys of a map that is an item of a list: as far in as the first of them.
  const isAtDash = isMap(into) && /^ *- +$/.test(line);
  const rendered = rendering(patching, items, isAtDash ? line.length : column, false);
  splices.push({ start: at, end: at, text: (isOpenLine ? layout.newline : '') + rendered });
}

/** New items as text: lines that begin at a column, or a part of one line. */
function rendering({ layout }: Patching, items: readonly unknown[], column: number, isFlow: boolean): string {
  const whole = new Document(isPair(items[0]) ? {} : []);
  if (isMap(whole.contents)) whole.contents.items.push(...(items as Pair<never, never>[]));
  else if (isSeq(whole.contents)) whole.contents.items.push(...(items as never[]));
  if (isCollection(whole.contents)) whole.contents.flow = isFlow;
  const { indent, indentSeq, newline } = layout;
  const text = tidied(whole.toString({ lineWidth: 0, indent, indentSeq })).trimEnd();
  if (isFlow) return text.replace(/^[[{]\s*|\s*[\]}]$/g, '');
  const lines = text.split('\n').map((line) => (line === '' ? '' : ' '.repeat(column) + line));
  return lines.join(newline) + newline;
}

/** In the spacing that owners use: `[a, b]`, but `{ id: a }`. */
export function tidied(text: string): string {
  const tidy = text.replace(/^(?:[^#\n]|(?<=\S)#)*/gm, (code) =>
    code.replace(/\[ ([^[\]{}\n]*) \]/g, (_, inside: string) => `[${inside}]`),
  );
  const means = (yaml: string) => JSON.stringify(parseDocument(yaml).toJS());
  return means(tidy) === means(text) ? tidy : text;
}
