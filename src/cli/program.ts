import { existsSync } from 'node:fs';
import { delimiter, join } from 'node:path';

/** Folders that npm and npx put on the path, and that a terminal does not have there. */
const isPutThere = (folder: string) => /node_modules[\\/]\.bin[\\/]?$/.test(folder);

let found: string | undefined;

/** How this program is called from a terminal: by its name where that is on the path, else by npx. */
export function programName(): string {
  if (found !== undefined) return found;
  const folders = (process.env['PATH'] ?? '').split(delimiter).filter((one) => !isPutThere(one));
  const names = process.platform === 'win32' ? ['dorlin.cmd', 'dorlin.exe'] : ['dorlin'];
  const isThere = folders.some((folder) => names.some((name) => existsSync(join(folder, name))));
  return (found = isThere ? 'dorlin' : 'npx dorlin');
}

/**
 * A text in which every command can be typed as it stands: `dorlin live` becomes `npx dorlin live` where
 * there is no other way to call it.
 */
export function asTyped(text: string): string {
  return text.replace(/(^|[`'\s:→(])dorlin (?=[a-z])/g, (whole, before: string, at: number) =>
    // In a sentence it is the product's name, which stands with a capital letter, or nothing.
    text.slice(0, at + before.length).endsWith('npx ') ? whole : `${before}${programName()} `,
  );
}
