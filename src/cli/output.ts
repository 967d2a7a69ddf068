import Table from 'cli-table3';
import pico from 'picocolors';

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

export function print(text = ''): void {
  process.stdout.write(`${text}\n`);
}

export function printJson(value: unknown): void {
  print(JSON.stringify(value, null, 2));
}

export function printError(message: string): void {
  const [first, ...more] = message.split('\n');
  const indented = more.map((line) => `  ${line}\n`).join('');
  process.stderr.write(`dorlin: ${first ?? ''}\n${indented}`);
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
