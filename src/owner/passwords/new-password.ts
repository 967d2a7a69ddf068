import { randomBytes } from 'node:crypto';
import { DorlinError } from '../../core/errors.js';
import { generatePassword, usualWordCount } from '../../core/passwords/generate.js';
import { normalizePassword } from '../../core/passwords/normalize.js';
import { maxPasswordLength } from '../../core/passwords/shared-salt.js';
import { judgeStrength } from '../../core/passwords/strength.js';
import type { Policy } from '../../core/policy/types.js';

/** Where a new password comes from: somebody typed it, or it is made of so many words. */
export type NewPassword = { readonly typed: string } | { readonly words: number };

/** How many words a password is made of if nobody says otherwise. */
export const usualWords = usualWordCount;

/** A password, and what to say about its strength. */
export interface ChosenPassword {
  readonly password: string;
  /** Whether it was made, not typed. */
  readonly made: boolean;
  /** How strong it is, in a sentence. */
  readonly strength: string;
}

/**
 * The password that is to be, judged.
 *
 * @param siteWords - what a guesser would try first
 * @throws DorlinError `password-empty`, `password-too-long`, `password-unfit`
 */
export async function choosePassword(wanted: NewPassword, siteWords: readonly string[]): Promise<ChosenPassword> {
  if ('words' in wanted) {
    const { words } = wanted;
    if (!Number.isInteger(words) || words < 3 || words > 12) {
      throw new DorlinError('password-unfit', 'A password is made of 3 to 12 words.', { mend: '' });
    }
    const { password, bits } = generatePassword(randomBytes, words);
    return { password, made: true, strength: `Made of ${words} words: ${bits} bits, strong.` };
  }
  const password = checkedPassword(wanted.typed);
  // Loading the word lists takes half a second, so only here.
  const { estimateGuesses } = await import('./estimate.js');
  const strength = judgeStrength(password, siteWords, estimateGuesses).words;
  return { password, made: false, strength };
}

function checkedPassword(typed: string): string {
  const password = normalizePassword(typed);
  if (password === '') throw new DorlinError('password-empty', 'The password is empty.');
  if (password.length > maxPasswordLength) {
    throw new DorlinError('password-too-long', `The password has ${password.length} characters.`);
  }
  if (/[\x00-\x1f\x7f]/.test(password)) {
    const what = 'The password has more than one line, or a control character.';
    throw new DorlinError('password-unfit', what);
  }
  return password;
}

/** Words that a guesser would try first at a lock. */
export function siteWordsOf({ site }: Policy, lock: string, label: string): string[] {
  return [site.name, ...site.name.split(/\s+/), lock, label, ...label.split(/\s+/)];
}
