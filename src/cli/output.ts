import Table from 'cli-table3';
import pico from 'picocolors';
import { asTyped } from './program.js';
import { streams } from './streams.js';

// Its type promises a boolean, but into a pipe it is undefined; and given that, picocolors would
// decide by itself, and color on a CI.
const { isTTY } = process.stdout as { readonly isTTY?: boolean };

/** Colors on a terminal only, and never with NO_COLOR. */
export const paint = pico.createColors(isTTY === true && (process.env['NO_COLOR'] ?? '') === '');

// Whoever read has read enough, as `head` does: then there is nobody left to print to.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error;
  process.exit(found ? 1 : 0);
});

/**
 * Text for a terminal, with our own colors and nothing else that moves its cursor: labels, titles and
 * addresses come from others, and so may what is in files.
 */
export function harmless(text: string): string {
  return text.replace(
    /\x1b\[(?:[0-49]|2[2-9]|[39][0-7]|39|4[0-79]|10[0-7])m|[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e\u2066-\u2069]/g,
    (found) => (found.length > 1 ? found : '\ufffd'),
  );
}

export function print(text = ''): void {
  streams().out.write(`${harmless(asTyped(text))}\n`);
}

/** JSON, in which a terminal finds nothing to act on either. */
export function printJson(value: unknown): void {
  const text = JSON.stringify(value, null, 2);
  const plain = text.replace(
    /[\x7f-\x9f\u202a-\u202e\u2066-\u2069]/g,
    (letter) => `\\u${letter.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );
  streams().out.write(`${plain}\n`);
}

export function printError(message: string): void {
  const [first, ...more] = harmless(asTyped(message)).split('\n');
  const indented = more.map((line) => `  ${line}\n`).join('');
  streams().err.write(`dorlin: ${first ?? ''}\n${indented}`);
}

/** Rows in columns, so many spaces apart, without rules; the first row may be a heading. */
export function columns(rows: readonly (readonly string[])[], indent = 2, apart = 3): string {
  const none = {
    top: '',
    'top-mid': '',
    'top-left': '',
    'top-right': '',
    bottom: '',
    'bottom-mid': '',
    'bottom-left': '',
    'bottom-right': '',
    left: ' '.repeat(indent),
    'left-mid': '',
    mid: '',
    'mid-mid': '',
    right: '',
    'right-mid': '',
    middle: ' '.repeat(apart),
  };
  const table = new Table({
    chars: none,
    style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [] },
  });
  table.push(...rows.map((row) => [...row]));
  return table.toString().replace(/[ \t]+$/gm, '');
}

/** `1 page`, `3 pages`, `1,204 pages`. */
export function counted(count: number, one: string, many = `${one}s`): string {
  return `${count.toLocaleString('en')} ${count === 1 ? one : many}`;
}

/** `a`, `a and b`, `a, b and c`. */
export function listed(words: readonly string[]): string {
  return new Intl.ListFormat('en-GB', { type: 'conjunction' }).format(words);
}

let found = false;

/** Says that what was looked for was found, so that the command ends with exit code 1. */
export function noteFound(): void {
  found = true;
}

export const hasFound = () => found;

/** Forgets that, before another command. */
export function beginAnew(): void {
  found = false;
}
