import { readFile } from 'node:fs/promises';
import { join, resolve } from 'node:path';
import { writeFileWhole } from '../stores/whole-file.js';
import * as z from 'zod';
import { keepingFolder, makeKeepingFolder } from '../stores/keeping.js';

const entry = z.strictObject({
  blob: z.string(),
  salt: z.string(),
  type: z.string(),
  size: z.number(),
  packed: z.literal(true).optional(),
});
const cached = z.strictObject({ mark: z.string(), entry });
const schema = z.strictObject({ out: z.string(), files: z.record(z.string(), cached) });

/** What was sealed last of a file; `mark` tells that file and its key from any other. */
export type Cached = z.output<typeof cached>;

const fileOf = (policyFile: string) => join(keepingFolder(policyFile), 'sealed-files.json');

/** What is remembered of the last sealing into a folder. What cannot be read is sealed anew. */
export async function readCache(policyFile: string, out: string): Promise<Readonly<Record<string, Cached>>> {
  const text = await readFile(fileOf(policyFile), 'utf8').catch(() => '{}');
  try {
    const { out: folder, files } = schema.parse(JSON.parse(text));
    return folder === resolve(out) ? files : {};
  } catch {
    return {};
  }
}

export async function writeCache(
  policyFile: string,
  out: string,
  files: Readonly<Record<string, Cached>>,
): Promise<void> {
  await makeKeepingFolder(policyFile);
  await writeFileWhole(fileOf(policyFile), JSON.stringify({ out: resolve(out), files }), { mode: 0o600 });
}
