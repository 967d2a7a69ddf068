import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { isDeepStrictEqual } from 'node:util';
import { writeFileWhole } from './whole-file.js';
import * as z from 'zod';
import { DorlinError } from '../core/errors.js';
import { openRecall, sealRecall } from '../core/passwords/recall.js';
import type { KeyChain } from '../core/passes/keys.js';
import { ignore } from './file-errors.js';
import { keepingFolder, makeKeepingFolder } from './keeping.js';

// Lock → password id → the password as a JWE.
export const recallSchema = z.record(z.string(), z.record(z.string(), z.string()));
export type Recall = z.output<typeof recallSchema>;

/** Remembers passwords of a lock so that its owner can look them up. To be called while alone. */
export async function rememberPasswords(
  policyFile: string,
  lock: string,
  passwords: readonly { readonly id: string; readonly password: string }[],
  keys: KeyChain,
): Promise<void> {
  const recall = await readRecall(policyFile);
  const sealed = { ...recall[lock] };
  for (const { id, password } of passwords) sealed[id] = await sealRecall(password, keys);
  await writeRecall(policyFile, { ...recall, [lock]: sealed });
}

/**
 * Forgets all passwords that the policy no longer has. To be called while alone.
 * @returns what was forgotten, still sealed
 */
export async function forgetPasswords(
  policyFile: string,
  isKept: (lock: string, id: string) => boolean,
): Promise<Recall> {
  const recall = await readRecall(policyFile);
  const part = (wanted: boolean): Recall =>
    Object.fromEntries(
      Object.entries(recall).flatMap(([lock, passwords]) => {
        const entries = Object.entries(passwords).filter(([id]) => isKept(lock, id) === wanted);
        return entries.length === 0 ? [] : [[lock, Object.fromEntries(entries)] as const];
      }),
    );
  const gone = part(false);
  if (Object.keys(gone).length > 0) await writeRecall(policyFile, part(true));
  return gone;
}

/** Takes back what was forgotten. To be called while alone. */
export async function remindOf(policyFile: string, forgotten: Recall): Promise<void> {
  const recall = await readRecall(policyFile);
  const both = [recall, forgotten].flatMap((one) => Object.keys(one));
  const joined = Object.fromEntries(both.map((lock) => [lock, { ...forgotten[lock], ...recall[lock] }] as const));
  if (!isDeepStrictEqual(joined, recall)) await writeRecall(policyFile, joined);
}

/** @throws DorlinError `password-not-recallable` */
export async function recallPassword(policyFile: string, lock: string, id: string, keys: KeyChain): Promise<string> {
  const jwe = (await readRecall(policyFile))[lock]?.[id];
  const password = jwe === undefined ? undefined : await openRecall(jwe, keys);
  if (password !== undefined) return password;
  throw new DorlinError('password-not-recallable', `The password ${id} of lock ${lock} cannot be looked up here.`);
}

/** Seals all of them anew by the first of these keys; one that none of them opens stays as it is. To be called while alone. */
export async function resealRecall(policyFile: string, keys: KeyChain): Promise<void> {
  const anew: Recall = {};
  for (const [lock, passwords] of Object.entries(await readRecall(policyFile))) {
    const sealed: Record<string, string> = {};
    for (const [id, jwe] of Object.entries(passwords)) {
      const password = await openRecall(jwe, keys);
      sealed[id] = password === undefined ? jwe : await sealRecall(password, keys);
    }
    anew[lock] = sealed;
  }
  if (Object.keys(anew).length > 0) await writeRecall(policyFile, anew);
}

/** All of them, as they lie beside the policy: still sealed. */
export const recallOf = (policyFile: string): Promise<Recall> => readRecall(policyFile);

const fileIn = (folder: string) => join(folder, 'recall.json');

async function readRecall(policyFile: string): Promise<Recall> {
  const file = fileIn(keepingFolder(policyFile));
  let text = '{}';
  try {
    text = await readFile(file, 'utf8');
  } catch (error) {
    ignore('ENOENT')(error);
  }
  try {
    return recallSchema.parse(JSON.parse(text));
  } catch (cause) {
    throw new DorlinError('password-not-recallable', `${file} is damaged.`, {
      cause,
      mend: 'Restore it from a backup, or delete it and rotate the passwords you need to know.',
    });
  }
}

async function writeRecall(policyFile: string, recall: Recall): Promise<void> {
  const file = fileIn(await makeKeepingFolder(policyFile));
  await writeFileWhole(file, `${JSON.stringify(recall, null, 2)}\n`, { mode: 0o600 });
}
