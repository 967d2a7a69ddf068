import { shutWords, type ShutReason } from '../sections/uncut-words.js';
import type { JournalEntry } from './entry.js';

/** What happened, in words. */
export interface EntryWords {
  /** Whether somebody got in, something was wrong or went wrong. */
  readonly tone: 'in' | 'warning' | 'wrong' | 'plain';
  /** What it was. */
  readonly what: string;
  /** Where, at which lock, by what. */
  readonly about: readonly string[];
}

/** What came from a visitor, without anything that would move a terminal's cursor. */
export const printable = (text: string): string => text.replace(/[^\x20-\x7e]/g, '?');

/** Says an event of the journal, or one that happens just now. */
export function entryWords(entry: Omit<JournalEntry, 'at'>): EntryWords {
  const { lock = '', label = '', path = '', section = '', refusal = '', count = 0, why = '' } = entry;
  const say = (tone: EntryWords['tone'], what: string, ...about: string[]): EntryWords => ({ tone, what, about });
  switch (entry.type) {
    case 'asked':
      return say('plain', 'asked', `at ${printable(path)} (${lock})`);
    case 'closed':
      return say('plain', 'turned away', `at ${printable(path)} (${lock})`);
    case 'unlocked':
      return say('in', 'unlocked', lock, `by ${label}`);
    case 'wrong':
      return say('warning', 'wrong password', lock);
    case 'waiting':
      return say('warning', 'too many tries, not tried', lock);
    case 'busy':
      return say('warning', 'too busy to try a password');
    case 'entered':
      return say('in', 'entered', lock, `by the link for ${label}`);
    case 'section-missing':
      return say('wrong', `a page has no section #${section}, so all of it is shut`, lock);
    case 'page-uncut': {
      const because = Object.hasOwn(shutWords, why) ? shutWords[why as ShutReason] : printable(why);
      return say('wrong', `the page ${printable(path)} is shut, as ${because}`, lock);
    }
    case 'dead-link':
      return say('warning', 'an entry link that opens nothing');
    case 'requested':
      return say('in', 'sent a letter', lock);
    case 'request-failed':
      return say('wrong', 'a letter could not be sent', lock);
    case 'left':
      return say('plain', 'left', 'passes forgotten');
    case 'refused':
      return say('warning', 'refused an address', `(${refusal})`);
    case 'failed':
      return say('wrong', 'failed, so nobody was let in');
    case 'skipped':
      return say('plain', `${count.toLocaleString('en')} more in a minute, not written down`);
  }
}
