import { randomBytes } from 'node:crypto';
import { mkdir, open, readFile, rm, stat, writeFile } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { DorlinError } from '../core/errors.js';
import { deriveKeys, type KeyChain } from '../core/passes/keys.js';

/** Dorlin's own folder beside a policy: the secret, the passwords to look up. Never served. */
export function keepingFolder(policyFile: string): string {
  return join(dirname(policyFile), '.dorlin');
}

/** Makes the folder, readable by its owner alone and ignored by git. */
export async function makeKeepingFolder(policyFile: string): Promise<string> {
  const folder = keepingFolder(policyFile);
  await mkdir(folder, { recursive: true, mode: 0o700 });
  await writeFile(join(folder, '.gitignore'), '*\n', { flag: 'wx' }).catch(ignore('EEXIST'));
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

/** How long a command waits for another one that is writing, in milliseconds. */
const patience = 10_000;

/**
 * Runs a piece of work that reads and writes the policy's files while no other command does.
 * @throws DorlinError `policy-busy` when another does not finish in time
 */
export async function whileAlone<T>(
  policyFile: string,
  work: () => Promise<T>,
  lockName = 'edit.lock',
): Promise<T> {
  const file = join(await makeKeepingFolder(policyFile), lockName);
  const giveUp = Date.now() + patience;
  for (;;) {
    try {
      const handle = await open(file, 'wx');
      await handle.writeFile(String(process.pid));
      await handle.close();
      break;
    } catch (error) {
      ignore('EEXIST')(error);
    }
    if (await isAbandoned(file)) await rm(file, { force: true });
    else if (Date.now() > giveUp) {
      throw new DorlinError('policy-busy', `Another command is writing; its lock file is ${file}.`);
    } else await wait(25);
  }
  try {
    return await work();
  } finally {
    await rm(file, { force: true });
  }
}

/** Whether the process that made a lock file is gone, killed perhaps. */
async function isAbandoned(file: string): Promise<boolean> {
  try {
    const pid = Number(await readFile(file, 'utf8'));
    if (pid > 0) {
      process.kill(pid, 0);
      return false;
    }
    // Made, but its process id not written yet; only if that stays so is it abandoned.
    return Date.now() - (await stat(file)).mtimeMs > 2_000;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'ESRCH';
  }
}

/** Lets one kind of file error pass and throws all others. */
export function ignore(code: string): (error: unknown) => undefined {
  return (error) => {
    if ((error as NodeJS.ErrnoException).code !== code) throw error;
    return undefined;
  };
}
