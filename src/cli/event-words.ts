import type { JournalEntry } from '../core/journal/entry.js';
import { entryWords as wordsOf } from '../core/journal/words.js';
import { paint } from './output.js';

const colors = {
  in: (text: string) => paint.green(text),
  warning: (text: string) => paint.yellow(text),
  wrong: (text: string) => paint.red(text),
  plain: (text: string) => text,
} as const;

/** What happened, in words for a terminal: what it was, and the rest. */
export function entryWords(entry: Omit<JournalEntry, 'at'>): [string, ...string[]] {
  const { tone, what, about } = wordsOf(entry);
  return [colors[tone](what), ...about];
}
