import type { RandomBytes } from '../ports.js';
import { words } from './words.js';

/** A password made of words, and how hard it is to guess. */
export interface GeneratedPassword {
  readonly password: string;
  /** Bits of entropy: the logarithm of the number of passwords it was drawn from. */
  readonly bits: number;
}

/** Bits that one word is worth; the list has 2 to that power of them. */
const bitsPerWord = 10;

/**
 * How many words a generated password has, unless somebody wants another number: 50 bits. Four words (40 bits) are
 * enough where attempts are counted; whoever takes a sealed site home may try as many as they like.
 */
export const usualWordCount = 5;

/**
 * Makes a password that can be said on the telephone: so many words with hyphens between.
 *
 * @param wordCount - how many words. @default 5
 */
export function generatePassword(random: RandomBytes, wordCount = usualWordCount): GeneratedPassword {
  const bytes = random(wordCount * 2);
  const chosen = Array.from({ length: wordCount }, (_, at) => {
    // Two bytes hold 16 evenly spread bits; the low 10 of them are evenly spread too.
    const number = ((bytes[2 * at] ?? 0) << 8) | (bytes[2 * at + 1] ?? 0);
    return words[number & (2 ** bitsPerWord - 1)] ?? '';
  });
  return { password: chosen.join('-'), bits: bitsPerWord * wordCount };
}

const known: ReadonlySet<string> = new Set(words);

/**
 * The entropy of a password that is nothing but words of the list, in bits: whoever knows how passwords are generated
 * here tries those first, however long they look. Undefined for any other.
 */
export function bitsOfWords(password: string): number | undefined {
  const parts = password.toLowerCase().split(/[-\s_.]+/);
  return parts.every((part) => known.has(part)) ? bitsPerWord * parts.length : undefined;
}

const idLetters = 'abcdefghijkmnpqrstuvwxyz23456789'; // 32, without those easily mistaken

/** An id for a password or a link that none of the taken ones has. */
export function generateId(random: RandomBytes, taken: ReadonlySet<string>, letters = 4): string {
  for (;;) {
    const id = Array.from(random(letters), (byte) => idLetters[byte & 31] ?? '').join('');
    if (!taken.has(id)) return id;
  }
}
