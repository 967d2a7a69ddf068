import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import writeFileAtomic from 'write-file-atomic';
import { z } from 'zod';
import type { LinkUses } from '../core/ports.js';
import { ignore, keepingFolder, makeKeepingFolder, whileAlone } from './keeping.js';

const usesSchema = z.record(z.string(), z.int().nonnegative());

/**
 * How often entry links were used, in `.dorlin/link-uses.json` beside the policy, so that a restart
 * gives nothing back. Several processes on one machine may share it. What cannot be read or
 * written is an error, and the link then lets nobody in.
 */
export function fileLinkUses(policyFile: string): LinkUses {
  return {
    take: (link, uses) =>
      whileAlone(
        policyFile,
        async () => {
          const taken = await readLinkUses(policyFile);
          const count = taken[link] ?? 0;
          if (count >= uses) return false;
          const file = join(await makeKeepingFolder(policyFile), fileName);
          const text = `${JSON.stringify({ ...taken, [link]: count + 1 }, null, 2)}\n`;
          await writeFileAtomic(file, text, { mode: 0o600 });
          return true;
        },
        'uses.lock',
      ),
  };
}

const fileName = 'link-uses.json';

/** How often each link was used, by `lock/id`. */
export async function readLinkUses(policyFile: string): Promise<Readonly<Record<string, number>>> {
  let text = '{}';
  try {
    text = await readFile(join(keepingFolder(policyFile), fileName), 'utf8');
  } catch (error) {
    ignore('ENOENT')(error);
  }
  return usesSchema.parse(JSON.parse(text));
}
