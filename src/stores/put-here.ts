import { createHash } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { writeFileWhole } from './whole-file.js';
import { untilRead } from './followers.js';
import { keepingFolder, makeKeepingFolder } from './keeping.js';

const noteOf = (policyFile: string) => `whole-${basename(policyFile)}`;

const digest = (text: string) => createHash('sha256').update(text).digest('hex');

/**
 * Puts a policy in its place whole, and notes that it is whole: who follows the file need not wait
 * until nobody seems to write it any more. Those who follow it here have read it when this is done.
 */
export async function putHere(policyFile: string, text: string): Promise<void> {
  const note = join(await makeKeepingFolder(policyFile), noteOf(policyFile));
  // Before the policy, as that is what is followed.
  await writeFileWhole(note, `${digest(text)}\n`, { mode: 0o600 });
  await writeFileWhole(policyFile, text);
  await untilRead(policyFile, text);
}

/** Whether a text is what a command last put in the place of the policy. */
export async function wasPutWhole(policyFile: string, text: string): Promise<boolean> {
  const note = join(keepingFolder(policyFile), noteOf(policyFile));
  const noted = await readFile(note, 'utf8').catch(() => '');
  return noted.trim() === digest(text);
}
