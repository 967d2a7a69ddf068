import { toBase64Url, utf8 } from './bytes.js';

/** Letters of a hash of a path. */
export const doorLength = 12;

/**
 * What tells the path of a sealed file that is no page, for who has that path already: `_dorlin/doors.json` names
 * no file, but a name that is guessed can be found in it.
 */
export async function doorHash(path: string): Promise<string> {
  const digest = await crypto.subtle.digest('SHA-256', utf8(`dorlin door\0${path}`));
  return toBase64Url(new Uint8Array(digest).slice(0, (doorLength * 3) / 4));
}

/** Whose screen asks for a path: of each door, `AREA LOCK`, the hashes behind it, joined. */
export type Doors = Readonly<Record<string, string>>;

/** The door of a path. @returns undefined where nothing is sealed there that is asked for */
export async function doorOf(doors: Doors, path: string): Promise<{ area: string; lock: string } | undefined> {
  const hash = await doorHash(path);
  for (const [door, hashes] of Object.entries(doors)) {
    for (let at = 0; at < hashes.length; at += doorLength) {
      if (hashes.slice(at, at + doorLength) !== hash) continue;
      const [area = '', lock = ''] = door.split(' ');
      return { area, lock };
    }
  }
  return undefined;
}
