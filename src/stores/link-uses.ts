import { mkdir, open, readdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { LinkUses } from '../core/site-ports.js';
import { ignore } from './file-errors.js';
import { keepingFolder, makeKeepingFolder } from './keeping.js';

const folderName = 'link-uses';

/**
 * How often entry links were used, in `.dorlin/link-uses/` beside the policy, so that a restart gives
 * nothing back: a file for each use. A file can be made once only, so that however many processes
 * ask at the same moment, one gets the use. What cannot be read or written is an error, and the link
 * then lets nobody in.
 */
export function fileLinkUses(policyFile: string): LinkUses {
  return {
    async take(link, uses) {
      const folder = join(await makeKeepingFolder(policyFile), folderName);
      await mkdir(folder, { recursive: true, mode: 0o700 });
      let number = (await readLinkUses(policyFile))[link] ?? 0;
      for (number++; number <= uses; number++) {
        const file = join(folder, `${encodeURIComponent(link)}.${number}`);
        const made = await open(file, 'wx', 0o600).catch(ignore('EEXIST'));
        if (made === undefined) continue;
        // On the disk before anybody is let in.
        try {
          await made.sync();
        } finally {
          await made.close();
        }
        return true;
      }
      return false;
    },
  };
}

/** Notes that links were used elsewhere, by `lock/id`: as often in all. */
export async function noteLinkUses(policyFile: string, uses: Readonly<Record<string, number>>): Promise<void> {
  const known = await readLinkUses(policyFile);
  const folder = join(await makeKeepingFolder(policyFile), folderName);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  for (const [link, count] of Object.entries(uses)) {
    if (count <= (known[link] ?? 0)) continue;
    await writeFile(join(folder, `${encodeURIComponent(link)}.${count}`), '', { mode: 0o600 });
  }
}

/** How often each link was used, by `lock/id`. */
export async function readLinkUses(policyFile: string): Promise<Readonly<Record<string, number>>> {
  const names = await readdir(join(keepingFolder(policyFile), folderName)).catch(ignore('ENOENT'));
  const uses: Record<string, number> = {};
  for (const name of names ?? []) {
    const [, link = '', number] = /^([\w%-]+)\.(\d{1,9})$/.exec(name) ?? [];
    const key = decodeURIComponent(link);
    if (number !== undefined) uses[key] = Math.max(uses[key] ?? 0, Number(number));
  }
  return uses;
}
