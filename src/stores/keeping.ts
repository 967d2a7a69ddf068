import { randomBytes } from 'node:crypto';
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { writeFileWhole } from './whole-file.js';
import { deriveKeys, type KeyChain } from '../core/passes/keys.js';
import { DorlinError } from '../core/errors.js';
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

/** The secret that the environment says: in `DORLIN_SECRET`, or in the file that `DORLIN_SECRET_FILE` names. */
export async function givenSecret(
  environment: Readonly<Record<string, string | undefined>> = process.env,
): Promise<string | undefined> {
  const { DORLIN_SECRET: secret = '', DORLIN_SECRET_FILE: file = '' } = environment;
  if (secret !== '') return secret;
  if (file === '') return undefined;
  try {
    return (await readFile(file, 'utf8')).trim();
  } catch (cause) {
    throw new DorlinError('secret-missing', `The file ${file}, which \`DORLIN_SECRET_FILE\` names, cannot be read.`, {
      cause,
      mend: 'Put the secret there, of 32 characters at least, readable by who runs Dorlin.',
    });
  }
}

/** Where the secret lies that no environment says. */
export const secretFile = (policyFile: string): string => join(keepingFolder(policyFile), 'secret');

/**
 * The keys of a policy: from what the environment says, or from the file `.dorlin/secret`, which is made if
 * it is not there. A new secret ends every pass, so nothing opens by its loss.
 *
 * @throws DorlinError `secret-weak`, `secret-missing`
 */
export async function openKeys(
  policyFile: string,
  environment: Readonly<Record<string, string | undefined>> = process.env,
): Promise<KeyChain> {
  const given = await givenSecret(environment);
  if (given !== undefined) return deriveKeys(given);
  await makeKeepingFolder(policyFile);
  const made = `${randomBytes(32).toString('base64url')}\n`;
  // `wx`: of two processes that start at once, one makes it and both read that one.
  await writeFile(secretFile(policyFile), made, { flag: 'wx', mode: 0o600 }).catch(ignore('EEXIST'));
  return deriveKeys(await readFile(secretFile(policyFile), 'utf8'));
}

/** The secret of a policy as text; undefined where there is none yet. @throws DorlinError `secret-missing` */
export async function readSecret(policyFile: string): Promise<string | undefined> {
  const given = await givenSecret();
  return given ?? (await readFile(secretFile(policyFile), 'utf8').catch(ignore('ENOENT')))?.trim();
}

/** Puts a secret, or several separated by commas, in the place of that in `.dorlin/secret`. */
export async function writeSecret(policyFile: string, secret: string): Promise<void> {
  await makeKeepingFolder(policyFile);
  await writeFileWhole(secretFile(policyFile), `${secret}\n`, { mode: 0o600 });
}

/**
 * Runs a piece of work that reads and writes the policy's files while no other command does.
 * @throws DorlinError `policy-busy`, as {@link whileLocked} says
 */
export async function whileAlone<T>(policyFile: string, work: () => Promise<T>, lockName = 'edit.lock'): Promise<T> {
  return whileLocked(join(await makeKeepingFolder(policyFile), lockName), work);
}
