import { randomBytes } from 'node:crypto';
import { DorlinError } from '../core/errors.js';
import { generatePassword } from '../core/passwords/generate.js';
import { maxPasswordLength, normalizePassword } from '../core/passwords/shared-salt.js';
import { judgeStrength } from '../core/passwords/strength.js';

/** Where a new password comes from. */
export interface PasswordInputOptions {
  readonly passwordStdin?: boolean;
  readonly generate?: boolean;
  readonly words: string;
}

/** A password, and what to say about its strength. */
export interface ChosenPassword {
  readonly password: string;
  readonly made: boolean;
  readonly strength: string;
}

/**
 * A new password: from standard input, from a prompt that shows what is typed, or made up.
 * @throws DorlinError `password-empty`, `password-too-long`, `call-wrong`
 */
export async function choosePassword(
  options: PasswordInputOptions,
  siteWords: readonly string[],
): Promise<ChosenPassword> {
  const wordCount = Number(options.words);
  if (!Number.isInteger(wordCount) || wordCount < 3 || wordCount > 12) {
    throw new DorlinError('call-wrong', '`--words` takes a whole number from 3 to 12.');
  }
  const typed = await typedPassword(options);
  if (typed === undefined) {
    const { password, bits } = generatePassword(randomBytes, wordCount);
    return { password, made: true, strength: `Made of ${wordCount} words: ${bits} bits, strong.` };
  }
  const password = checkedPassword(typed);
  // Loading the word lists takes half a second, so only here.
  const { estimateGuesses } = await import('./estimate.js');
  return {
    password,
    made: false,
    strength: judgeStrength(password, siteWords, estimateGuesses).words,
  };
}

async function typedPassword(options: PasswordInputOptions): Promise<string | undefined> {
  if (options.passwordStdin === true) return readStandardInput();
  if (options.generate === true || !process.stdin.isTTY) return undefined;
  const { default: input } = await import('@inquirer/input');
  const typed = await input({ message: 'New password (leave empty to have one made):' });
  return typed.trim() === '' ? undefined : typed;
}

function checkedPassword(typed: string): string {
  const password = normalizePassword(typed);
  if (password === '') throw new DorlinError('password-empty', 'The password is empty.');
  if (password.length > maxPasswordLength) {
    throw new DorlinError('password-too-long', `The password has ${password.length} characters.`);
  }
  if (/[\x00-\x1f\x7f]/.test(password)) {
    throw new DorlinError(
      'call-wrong',
      'The password has more than one line, or a control character.',
      {
        mend: 'Send one line.',
      },
    );
  }
  return password;
}

/** All of standard input, without the line's end. */
export async function readStandardInput(): Promise<string> {
  const chunks: Buffer[] = [];
  for await (const chunk of process.stdin as AsyncIterable<Buffer>) chunks.push(chunk);
  return Buffer.concat(chunks)
    .toString('utf8')
    .replace(/\r?\n$/, '');
}
