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

/** Whether a page may hold marks. @param plain - as {@link plainLetters} gives it */
export const mayBeMarked = (plain: string): boolean => plain.includes(markAttribute);

/** The names of the locks that a page that cannot be parsed may be marked by; what is no name is empty. */
export const marksIn = (plain: string): string[] =>
  [...plain.matchAll(marked)].map(([, double, single, bare]) => {
    const name = (double ?? single ?? bare ?? '').trim();
    // A name that goes on is another one: its beginning must not stand for it.
    return /^[\w-]*$/.test(name) ? name : '';
  });
