import { readFile, rm } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { writeFileWhole } from './whole-file.js';
import * as z from 'zod';
import { ignore } from './file-errors.js';
import { keepingFolder, makeKeepingFolder } from './keeping.js';

const tieSchema = z.strictObject({
  /** The site's id in the store. */
  site: z.string(),
  version: z.number().int(),
  /** The policy as it was there when the two were last the same. */
  text: z.string(),
  /** The last lines that were taken over from there, by their ids. */
  journal: z.string(),
  requests: z.string(),
});

/** What ties a policy to the one in the store that many machines share, of which it is a copy to work on. */
export type Tie = z.output<typeof tieSchema>;

const fileOf = (policyFile: string) => join(keepingFolder(policyFile), `shared-${basename(policyFile)}.json`);

/** Undefined where it is tied to none. */
export async function tieOf(policyFile: string): Promise<Tie | undefined> {
  const text = await readFile(fileOf(policyFile), 'utf8').catch(ignore('ENOENT'));
  if (text === undefined) return undefined;
  try {
    return tieSchema.parse(JSON.parse(text));
  } catch {
    // Then nothing is known of what it began as, and it is brought together anew.
    return undefined;
  }
}

export async function writeTie(policyFile: string, tie: Tie): Promise<void> {
  await makeKeepingFolder(policyFile);
  await writeFileWhole(fileOf(policyFile), `${JSON.stringify(tie, null, 2)}\n`, { mode: 0o600 });
}

export const cutTie = (policyFile: string): Promise<void> => rm(fileOf(policyFile), { force: true });

/** The address of the shared store, as it is told to all commands; undefined where there is none. */
export function storeAddress(given?: string): string | undefined {
  const address = given ?? process.env['DORLIN_REDIS'];
  return address === undefined || address === '' ? undefined : address;
}
