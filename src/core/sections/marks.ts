import { lettersOf } from '../letters.js';
import { markAttribute } from './tree.js';

const marked = new RegExp(`${markAttribute}(?:\\s*=\\s*(?:"([^"]*)|'([^']*)|([^\\s>]*)))?`, 'gi');

/**
 * A page in small letters, in which ASCII is found whatever its encoding.
 * @param letters - one for each byte
 */
export function plainLetters(letters: string): string {
  const text = letters.toLowerCase();
  return text.includes('\0') ? text.replaceAll('\0', '') : text;
}

const last = markAttribute.length - 1;
const small = (byte: number) => (byte >= 0x41 && byte <= 0x5a ? byte | 0x20 : byte);
const wanted = Uint8Array.from(markAttribute, (letter) => letter.charCodeAt(0));
/** How far the attribute can be moved on, by the byte that stands under its last letter (Horspool, 1980). */
const steps = Uint8Array.from({ length: 256 }, (_, byte) => {
  const at = markAttribute.lastIndexOf(String.fromCharCode(small(byte)), last - 1);
  return at < 0 ? markAttribute.length : last - at;
});

function hasAt(page: Uint8Array, start: number): boolean {
  let at = last;
  while (at >= 0 && small(page[start + at] ?? 0) === wanted[at]) at--;
  return at < 0;
}

/**
 * Whether a page may hold marks, whatever its encoding. A page that has no name for its content is looked
 * through at every visit, so its bytes are read as they are, and few of them.
 */
export function mayBeMarked(page: Uint8Array): boolean {
  for (let end = last; end < page.length; end += steps[page[end] ?? 0] ?? 1) {
    // Letters of two bytes each: no step is so long that it leaves a whole attribute of them out.
    if (page[end] === 0 || page[end - 1] === 0) return plainLetters(lettersOf(page)).includes(markAttribute);
    if (hasAt(page, end - last)) return true;
  }
  return false;
}

/**
 * Whether a page may have an element with one of these ids. What is written in references (`&#98;`), in a frame or in
 * another encoding is not looked into: then it may.
 *
 * @param letters - of the page, one for each byte
 */
export function mayHoldId(letters: string, ids: Iterable<string>): boolean {
  if (/\0|srcdoc|\bid\s*=\s*["']?[^"'>\s]*&/i.test(letters)) return true;
  for (const id of ids) if (!/^[\x21-\x7e]+$/.test(id) || letters.includes(id)) return true;
  return false;
}

/** The names of the locks that a page that cannot be parsed may be marked by; what is no name is empty. */
export const marksIn = (plain: string): string[] =>
  [...plain.matchAll(marked)].map(([, double, single, bare]) => {
    const name = (double ?? single ?? bare ?? '').trim();
    // A name that goes on is another one: its beginning must not stand for it.
    return /^[\w-]*$/.test(name) ? name : '';
  });
