import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import { usualWords, type ChosenPassword, type NewPassword } from '../owner/passwords/new-password.js';
import { paint, print } from './output.js';
import { streams } from './streams.js';

/** Where a new password comes from. */
export interface PasswordInputOptions {
  readonly passwordStdin?: boolean;
  readonly generate?: boolean;
  readonly words: string;
}

export function withPasswordInput(made: Command): Command {
  return made
    .option('--password-stdin', 'read the password from standard input')
    .option('--generate', 'have one made without asking')
    .option('--words <count>', 'how many words a made one has', String(usualWords));
}

/**
 * A new password: from standard input, from a prompt that shows what is typed, or to be made.
 * @throws DorlinError `call-wrong`
 */
export async function newPassword(options: PasswordInputOptions): Promise<NewPassword> {
  const words = Number(options.words);
  if (!Number.isInteger(words) || words < 3 || words > 12) {
    throw new DorlinError('call-wrong', '`--words` takes a whole number from 3 to 12.');
  }
  if (options.passwordStdin === true) return { typed: await readStandardInput() };
  if (options.generate === true || streams().input.isTTY !== true) return { words };
  const { default: input } = await import('@inquirer/input');
  const typed = await input({ message: 'New password (leave empty to have one made):' });
  return typed.trim() === '' ? { words } : { typed };
}

/** All of standard input, without the line's end. */
export async function readStandardInput(): Promise<string> {
  const chunks: Buffer[] = [];
  for await (const chunk of streams().input) chunks.push(chunk);
  return Buffer.concat(chunks)
    .toString('utf8')
    .replace(/\r?\n$/, '');
}

/** A new password for its owner's eyes. */
export function printPassword(heading: string, { password, strength }: ChosenPassword): void {
  print(heading);
  print();
  print(`  ${paint.bold(password)}`);
  print();
  print(strength);
}
