import { bytesOf, lettersOf } from '../letters.js';

/** A page as letters that a parser of HTML reads as a browser reads the page. */
export interface PageLetters {
  /** What stands before the page itself: a byte order mark, which no parser reads. */
  readonly start: string;
  /** One letter for each byte, of the page or, if it is recoded, of the page in UTF-8. */
  readonly letters: string;
  /** Whether the page was in an encoding that is not like ASCII, and is in UTF-8 here. */
  readonly isRecoded: boolean;
  /** What letters that are no ASCII mean. */
  readonly readValue: (letters: string) => string;
}

/**
 * Encodings in which a byte below 0x80 is the ASCII letter wherever tags, quotes and spaces are
 * concerned (Encoding standard). Of those with two bytes to a letter the second is never one of these
 * signs: where one follows a first byte, it stays what it is.
 */
const asciiLike =
  /^(?:utf-?8|us-ascii|ascii|latin-?1|iso[-_]?8859-?\d+(?:-[ei])?|windows-\d+|(?:x-)?cp125\d|koi8-?[ru]?|macintosh|x-mac-cyrillic|ibm866|tis-620|euc-(?:kr|jp)|ks_c_5601-1987|shift[-_]jis|x-sjis|windows-31j|gbk|gb2312|gb18030|big5(?:-hkscs)?)$/i;
const utf16 = /^utf-16(?:le|be)?$/i;

/** The encoding of a document, and whether that is sure, by a mark or by the header. */
interface Encoding {
  /** Undefined where nothing says it. */
  readonly label: string | undefined;
  readonly isSure: boolean;
}

/**
 * How browsers find out the encoding of an HTML document (HTML standard section 13.2.3): by its byte
 * order mark, else by the header, else by its `meta`.
 *
 * @returns undefined where they might read tags that no other reading has
 */
function encodingOf(body: Uint8Array, contentType: string): Encoding | undefined {
  const mark = markOf(body);
  const declared = /;\s*charset\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s;]+))/i.exec(contentType);
  const fromHeader = (declared?.[1] ?? declared?.[2] ?? declared?.[3])?.trim();
  const label = mark ?? fromHeader ?? metaCharset(body);
  const isSure = mark !== undefined || fromHeader !== undefined;
  // Escapes switch encodings with states, which browsers guess where none is declared.
  if (!isSure && (body.includes(0x1b) || body.includes(0))) return undefined;
  if (label === undefined || asciiLike.test(label)) return { label, isSure };
  return utf16.test(label) && isSure ? { label, isSure } : undefined;
}

/**
 * The letters of an HTML document. Which of the encodings that are like ASCII it is in makes no
 * difference to its tags, and so its bytes are taken for letters, and go out as they came.
 *
 * @param ownLetters - the body with one letter for each byte, where that is at hand
 * @returns undefined where browsers might read tags that this reading does not have
 */
export function pageLetters(
  body: Uint8Array,
  contentType: string,
  ownLetters: () => string = () => lettersOf(body),
): PageLetters | undefined {
  const encoding = encodingOf(body, contentType);
  if (encoding === undefined) return undefined;
  const { label } = encoding;
  if (label !== undefined && utf16.test(label)) {
    const text = decode(body, label);
    if (text === undefined) return undefined;
    const letters = lettersOf(new TextEncoder().encode(text));
    return { start: '', letters, isRecoded: true, readValue: readerOf(() => 'utf-8') };
  }
  const known = () => label ?? (decode(body, 'utf-8', true) === undefined ? 'windows-1252' : 'utf-8');
  const letters = ownLetters();
  const marked = markOf(body) === undefined ? 0 : 3;
  return {
    start: letters.slice(0, marked),
    letters: marked === 0 ? letters : letters.slice(marked),
    isRecoded: false,
    readValue: readerOf(known),
  };
}

/**
 * The text of an HTML document as a browser reads it; where nothing says its encoding, as UTF-8, or
 * windows-1252 where it is none.
 *
 * @returns undefined where browsers might read tags that this reading does not have
 */
export function decodeHtml(body: Uint8Array, contentType: string): string | undefined {
  const encoding = encodingOf(body, contentType);
  if (encoding === undefined) return undefined;
  if (encoding.label !== undefined) return decode(body, encoding.label);
  return decode(body, 'utf-8', true) ?? decode(body, 'windows-1252');
}

function markOf(body: Uint8Array): string | undefined {
  if (body[0] === 0xef && body[1] === 0xbb && body[2] === 0xbf) return 'utf-8';
  if (body[0] === 0xfe && body[1] === 0xff) return 'utf-16be';
  return body[0] === 0xff && body[1] === 0xfe ? 'utf-16le' : undefined;
}

function metaCharset(body: Uint8Array): string | undefined {
  const start = lettersOf(body.subarray(0, 1024));
  return /<meta[^>]*?charset\s*=\s*["']?\s*([^\s"'/>;]+)/i.exec(start)?.[1];
}

const readerOf = (labelOf: () => string) => (letters: string) => {
  // What a reference stands for is a letter already, and no byte.
  if (!/[\x80-\xff]/.test(letters) || /[^\x00-\xff]/.test(letters)) return letters;
  return decode(bytesOf(letters), labelOf()) ?? letters;
};

function decode(body: Uint8Array, label: string, fatal = false): string | undefined {
  try {
    return new TextDecoder(label, { fatal }).decode(body);
  } catch {
    return undefined;
  }
}
