import { isCollection, isMap, isScalar, isSeq, type Node, type Pair } from 'yaml';

/** A node that was read from a text, and so knows where it stands there. */
export type SourceNode = Node & { range: [number, number, number] };

export const hasRange = (node: unknown): node is SourceNode =>
  typeof node === 'object' && node !== null && Array.isArray((node as Node).range);

/** How an owner lays a policy out. */
export interface Layout {
  readonly newline: '\n' | '\r\n';
  /** Spaces by which what stands under a key is moved in. */
  readonly indent: number;
  /** Whether the items of a list stand further in than its key. */
  readonly indentSeq: boolean;
}

/** How a text is laid out, by the first places in it that show it. */
export function layoutOf(text: string, contents: unknown): Layout {
  let indent: number | undefined;
  let indentSeq: boolean | undefined;
  const look = (node: unknown) => {
    if (!isMap(node)) return;
    for (const { key, value } of node.items) {
      if (!hasRange(key) || !hasRange(value) || !isCollection(value) || value.flow === true) continue;
      const first: unknown = value.items[0];
      const start = isMap(value) ? (first as Pair | undefined)?.key : first;
      if (!hasRange(start)) continue;
      const further = columnOf(text, start.range[0]) - columnOf(text, key.range[0]);
      if (isMap(value)) indent ??= further;
      else if (isSeq(value)) {
        const dash = indentOfLine(text, start.range[0]) - columnOf(text, key.range[0]);
        indentSeq ??= dash > 0;
      }
      look(value);
    }
  };
  look(contents);
  return {
    newline: /\r\n/.test(text) ? '\r\n' : '\n',
    indent: Math.min(Math.max(indent ?? 2, 1), 8),
    indentSeq: indentSeq ?? true,
  };
}

export const lineStart = (text: string, at: number) => text.lastIndexOf('\n', at - 1) + 1;

const columnOf = (text: string, at: number) => at - lineStart(text, at);

/** How many spaces the line of a place begins with. */
export function indentOfLine(text: string, at: number): number {
  const start = lineStart(text, at);
  return (/^ */.exec(text.slice(start, at + 1))?.[0] ?? '').length;
}

/** Behind the line that a place is in, with its end. */
export function lineEnd(text: string, at: number): number {
  if (at > 0 && text[at - 1] === '\n') return at;
  const end = text.indexOf('\n', at);
  return end < 0 ? text.length : end + 1;
}

/** Where a node ends, without the comments and empty lines that follow it. */
export function endOf(node: unknown): number | undefined {
  if (!hasRange(node)) return undefined;
  if (!isCollection(node) || node.flow === true) return node.range[1];
  const last: unknown = node.items.at(-1);
  if (last === undefined) return node.range[1];
  return isMap(node) ? endOfPair(last as Pair) : endOf(last);
}

export function endOfPair({ key, value }: Pair): number | undefined {
  const ofValue = endOf(value);
  const isEmpty = isScalar(value) && value.source === '' && value.value === null;
  return ofValue === undefined || isEmpty ? endOf(key) : ofValue;
}

/**
 * Where the lines of an item begin that starts at a place: with the comments that stand directly above
 * it, as far in as it is itself. Those belong to it, and no others.
 */
export function startWithComments(text: string, at: number): number {
  let start = lineStart(text, at);
  const indent = indentOfLine(text, at);
  while (start > 0) {
    const above = lineStart(text, start - 1);
    const line = text.slice(above, start);
    if (!/^ *#/.test(line) || indentOfLine(text, above + indent) !== indent) break;
    if (line.length <= indent || line[indent] !== '#') break;
    start = above;
  }
  return start;
}
