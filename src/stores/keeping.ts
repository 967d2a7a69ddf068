import { randomBytes } from 'node:crypto';
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { deriveKeys, type KeyChain } from '../core/passes/keys.js';
import { ignore } from './file-errors.js';
import { whileLocked } from './lock-file.js';

/** Dorlin's own folder beside a policy: the secret, the passwords to look up. Never served. */
export function keepingFolder(policyFile: string): string {
  return join(dirname(policyFile), '.dorlin');
}

/** Makes the folder, readable by its owner alone and ignored by git. */
export async function makeKeepingFolder(policyFile: string): Promise<string> {
  const folder = keepingFolder(policyFile);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  // Screens show these wherever the site is built; the rest is of this machine alone.
  const ignored = '*\n!/pictures/\n!/pictures/*\n';
  await writeFile(join(folder, '.gitignore'), ignored, { flag: 'wx' }).catch(ignore('EEXIST'));
  return folder;
}

/**
 * The keys of a policy: from `DORLIN_SECRET`, or from the file `.dorlin/secret`, which is made if
 * it is not there. A new secret ends every pass, so nothing opens by its loss.
 *
 * @throws DorlinError `secret-weak`, `secret-missing`
 */
export async function openKeys(
  policyFile: string,
  environment: Readonly<Record<string, string | undefined>> = process.env,
): Promise<KeyChain> {
  const given = environment['DORLIN_SECRET'];
  if (given !== undefined && given !== '') return deriveKeys(given);
  const file = join(await makeKeepingFolder(policyFile), 'secret');
  const made = `${randomBytes(32).toString('base64url')}\n`;
  // `wx`: of two processes that start at once, one makes it and both read that one.
  await writeFile(file, made, { flag: 'wx', mode: 0o600 }).catch(ignore('EEXIST'));
  return deriveKeys(await readFile(file, 'utf8'));
}

/**
 * Runs a piece of work that reads and writes the policy's files while no other command does.
 * @throws DorlinError `policy-busy`, as {@link whileLocked} says
 */
export async function whileAlone<T>(policyFile: string, work: () => Promise<T>, lockName = 'edit.lock'): Promise<T> {
  return whileLocked(join(await makeKeepingFolder(policyFile), lockName), work);
}
