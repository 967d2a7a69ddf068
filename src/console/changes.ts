import { appendFile, readFile, stat, rename } from 'node:fs/promises';
import { join } from 'node:path';
import * as z from 'zod';
import { ignore } from '../stores/file-errors.js';
import { keepingFolder, makeKeepingFolder } from '../stores/keeping.js';

/** Something that was done in the console. */
export interface Change {
  /** RFC 3339. */
  readonly at: string;
  /** Who did it, by name. */
  readonly person: string;
  readonly call: string;
  /** What it was about: locks, places, labels. Never a password. */
  readonly about: string;
}

const changeSchema: z.ZodType<Change> = z.object({
  at: z.string(),
  person: z.string(),
  call: z.string(),
  about: z.string(),
});

const fileOf = (policyFile: string) => join(keepingFolder(policyFile), 'console-changes.jsonl');
const largest = 4_000_000;

/** Notes who did what, once it is done; whoever calls waits for it, and is told where it cannot be noted. */
export async function noteChange(policyFile: string, change: Change): Promise<void> {
  await makeKeepingFolder(policyFile);
  const file = fileOf(policyFile);
  const found = await stat(file).catch(ignore('ENOENT'));
  if (found !== undefined && found.size > largest) await rename(file, `${file}.1`);
  await appendFile(file, `${JSON.stringify(change)}\n`, { mode: 0o600 });
}

/** The last changes, newest first. */
export async function readChanges(policyFile: string): Promise<{ readonly changes: readonly Change[] }> {
  const text = (await readFile(fileOf(policyFile), 'utf8').catch(ignore('ENOENT'))) ?? '';
  const changes = text.split('\n').flatMap((line): Change[] => {
    try {
      return [changeSchema.parse(JSON.parse(line))];
    } catch {
      return [];
    }
  });
  return { changes: changes.slice(-200).reverse() };
}

/** What a call was about, without what must not be written down. */
export function aboutOf(input: unknown): string {
  const texts: string[] = [];
  const add = (value: unknown, key: string) => {
    if (
      [
        'is',
        'password',
        'typed',
        'text',
        'token',
        'words',
        'now',
        'over',
        'dynamic',
        'written',
        'before',
        'data',
        'isNew',
      ].includes(key)
    )
      return;
    if (typeof value === 'string') texts.push(key === 'lock' || key === 'person' ? value : `${key} ${value}`);
    else if (typeof value === 'number' || typeof value === 'boolean') texts.push(`${key} ${String(value)}`);
    else if (Array.isArray(value)) {
      // Of a setting its key alone: a mail server has its password in its address.
      const all = value.map(String).map((one) => (key === 'settings' ? (one.split('=', 1)[0] ?? '') : one));
      const shown = all.slice(0, 8);
      texts.push(`${key} ${shown.join(' ')}${value.length > 8 ? ` and ${value.length - 8} more` : ''}`);
    } else if (typeof value === 'object' && value !== null)
      for (const [inner, one] of Object.entries(value)) add(one, inner);
  };
  if (typeof input === 'object' && input !== null) for (const [key, value] of Object.entries(input)) add(value, key);
  return texts.join(', ').slice(0, 500);
}
