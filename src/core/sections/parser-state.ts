import { InsertionMode, type Parser, type DefaultTreeAdapterMap as TreeMap } from 'parse5';
import { isHtml } from './tree.js';

type AnyParser = Parser<TreeMap>;

/** All that what follows in a page is read by (HTML standard section 13.2.4), in the plain case. */
export interface ParserState {
  readonly mode: InsertionMode;
  readonly open: readonly TreeMap['parentNode'][];
  readonly formatting: readonly TreeMap['element'][];
  readonly form: TreeMap['element'] | null;
}

/** More formatting that is open at once is no plain case. */
const mostFormatting = 32;

/** Within these, letters and elements of text stay where they are written. */
const plainModes = new Set([InsertionMode.IN_BODY, InsertionMode.IN_CELL, InsertionMode.IN_CAPTION]);
const endModes = new Set([InsertionMode.IN_BODY, InsertionMode.AFTER_BODY, InsertionMode.AFTER_AFTER_BODY]);

/**
 * How a parser stands: undefined where it is not the plain case, which is text within a body, no
 * template, nothing to be put before a table, and no formatting to be opened anew.
 */
export function stateOf(parser: AnyParser): ParserState | undefined {
  if (parser.framesetOk || !plainModes.has(parser.insertionMode)) return undefined;
  return standing(parser);
}

function standing(parser: AnyParser): ParserState | undefined {
  const { openElements, insertionMode: mode, formElement: form } = parser;
  if (parser.tmplInsertionModeStack.length > 0 || parser.fosterParentingEnabled) return undefined;
  if (!isHtml(openElements.current as TreeMap['element'])) return undefined;
  const open = openElements.items.slice(0, openElements.stackTop + 1);
  const formatting: TreeMap['element'][] = [];
  let entry = parser.activeFormattingElements.newest;
  for (let count = 0; entry !== null; count++, entry = entry.older) {
    if (count === mostFormatting) return undefined;
    if (!('element' in entry)) continue;
    if (!open.includes(entry.element)) return undefined;
    formatting.push(entry.element);
  }
  return { mode, open, formatting, form };
}

/** Whether a parser stands as it stood before. */
export function isSameState(before: ParserState, parser: AnyParser): boolean {
  const now = stateOf(parser);
  return (
    now !== undefined &&
    now.mode === before.mode &&
    now.form === before.form &&
    isSameList(now.open, before.open) &&
    isSameList(now.formatting, before.formatting)
  );
}

const isSameList = (one: readonly unknown[], other: readonly unknown[]) =>
  one.length === other.length && one.every((item, at) => item === other[at]);

/** Whether forms that come now, at a text's end, are put behind all that there is. */
export function takesMore(parser: AnyParser): boolean {
  if (!endModes.has(parser.insertionMode) || parser.formElement !== null) return false;
  const state = standing(parser);
  if (state === undefined) return false;
  // A form ends a paragraph that is open; formatting that ends with it is opened anew, in the form.
  const isInParagraph = state.open.some((node) => 'tagName' in node && node.tagName === 'p');
  return !isInParagraph || state.formatting.length === 0;
}
