import { randomBytes } from 'node:crypto';
import { open, readFile, rm, stat, utimes } from 'node:fs/promises';
import { setTimeout as wait } from 'node:timers/promises';
import { DorlinError } from '../core/errors.js';
import { ignore } from './file-errors.js';

/** How long to wait for somebody else, in milliseconds. @default 10,000 */
const patience = 10_000;
/** How long a lock may go without a sign of life before it counts as abandoned, in milliseconds. */
const abandonedAfter = 10_000;
/** How often its holder gives one, in milliseconds. */
const signEvery = 2_000;

/**
 * Runs a piece of work while nobody else does who asks for the same lock file.
 *
 * The file holds a token of its holder's, and its time is moved on while the work goes on. One that
 * stands still was left by somebody who was killed; the number of a process says nothing, as in
 * containers they may all have the same one. Such a file is removed by one at a time, who looks once
 * more when it is alone with it: two who found it abandoned at the same moment must not both remove
 * what the first of them has made anew.
 *
 * @throws DorlinError `policy-busy` when somebody else does not finish in time, or took the lock away
 * from work that had stopped giving signs of life, while the machine slept perhaps
 */
export async function whileLocked<T>(file: string, work: () => Promise<T>): Promise<T> {
  const token = randomBytes(16).toString('base64url');
  const busy = () => new DorlinError('policy-busy', `Another command is writing; its lock file is ${file}.`);
  const giveUp = Date.now() + patience;
  while (!(await made(file, token))) {
    if (await isAbandoned(file)) await removeAbandoned(file, token);
    else if (Date.now() > giveUp) throw busy();
    else await wait(20 + Math.random() * 20);
  }
  const signs = setInterval(() => {
    const now = new Date();
    // It may be gone in between; a sign that could not be given is no reason to end the process.
    void isOurs(file, token)
      .then((is) => (is ? utimes(file, now, now) : undefined))
      .catch(ignoreAll);
  }, signEvery);
  signs.unref();
  try {
    const result = await work();
    if (!(await isOurs(file, token))) throw busy();
    return result;
  } finally {
    clearInterval(signs);
    if (await isOurs(file, token)) await rm(file, { force: true });
  }
}

/** Makes a lock file; no, if there is one. */
async function made(file: string, token: string): Promise<boolean> {
  const handle = await open(file, 'wx').catch(ignore('EEXIST'));
  if (handle === undefined) return false;
  try {
    await handle.writeFile(token);
  } finally {
    await handle.close();
  }
  return true;
}

const isOurs = async (file: string, token: string) => (await readFile(file, 'utf8').catch(ignoreAll)) === token;

async function isAbandoned(file: string): Promise<boolean> {
  const found = await stat(file).catch(ignore('ENOENT'));
  return found !== undefined && Date.now() - found.mtimeMs > abandonedAfter;
}

/** Removes a lock file that is abandoned, unless it no longer is when nobody else can remove it. */
async function removeAbandoned(file: string, token: string): Promise<void> {
  const turn = `${file}.turn`;
  if (!(await made(turn, token))) {
    // Whoever made that was killed between two lines.
    if (await isAbandoned(turn)) await rm(turn, { force: true });
    await wait(20);
    return;
  }
  try {
    if (await isAbandoned(file)) await rm(file, { force: true });
  } finally {
    await rm(turn, { force: true });
  }
}

const ignoreAll = () => undefined;
