// The small site's files, by what Node, Deno and Bun all have.
import { readFile } from 'node:fs/promises';

const small = new URL('../small-site/', import.meta.url);

export const policy = await readFile(new URL('dorlin.yaml', small), 'utf8');

/** A file of the site; a folder, and what is not there, is none. */
export const file = (name) => readFile(new URL(`site${name}`, small)).catch(() => undefined);
