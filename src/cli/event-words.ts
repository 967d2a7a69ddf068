import type { JournalEntry } from '../core/journal/entry.js';
import { shutWords, type ShutReason } from '../core/sections/uncut-words.js';
import { paint } from './output.js';

/** What happened, in words: what it was, and the rest. */
export function entryWords(entry: Omit<JournalEntry, 'at'>): [string, ...string[]] {
  const { lock = '', label = '', path = '', section = '', refusal = '', count = 0, why = '' } = entry;
  switch (entry.type) {
    case 'asked':
      return ['asked', `at ${printable(path)} (${lock})`];
    case 'closed':
      return ['turned away', `at ${printable(path)} (${lock})`];
    case 'unlocked':
      return [paint.green('unlocked'), lock, `by ${label}`];
    case 'wrong':
      return [paint.yellow('wrong password'), lock];
    case 'waiting':
      return [paint.yellow('too many tries, not tried'), lock];
    case 'busy':
      return [paint.yellow('too busy to try a password')];
    case 'entered':
      return [paint.green('entered'), lock, `by the link for ${label}`];
    case 'section-missing':
      return [paint.red(`a page has no section #${section}, so all of it is shut`), lock];
    case 'page-uncut': {
      const because = Object.hasOwn(shutWords, why) ? shutWords[why as ShutReason] : printable(why);
      return [paint.red(`the page ${printable(path)} is shut, as ${because}`), lock];
    }
    case 'dead-link':
      return [paint.yellow('an entry link that opens nothing')];
    case 'requested':
      return [paint.green('sent a letter'), lock];
    case 'request-failed':
      return [paint.red('a letter could not be sent'), lock];
    case 'left':
      return ['left', 'passes forgotten'];
    case 'refused':
      return [paint.yellow('refused an address'), `(${refusal})`];
    case 'failed':
      return [paint.red('failed, so nobody was let in')];
    case 'skipped':
      return [paint.dim(`${count.toLocaleString('en')} more in a minute, not written down`)];
  }
}

/** What came from a visitor, without anything that would move a terminal's cursor. */
export function printable(text: string): string {
  return text.replace(/[^\x20-\x7e]/g, '?');
}
