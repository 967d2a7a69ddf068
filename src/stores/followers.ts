import { createHash, randomBytes } from 'node:crypto';
import { mkdir, readdir, readFile, rm, stat, utimes } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { writeFileWhole } from './whole-file.js';
import { keepingFolder, makeKeepingFolder } from './keeping.js';

/**
 * Whoever follows a policy keeps a file beside it that says which text it has read last. A command that
 * edits the policy looks there, so that its change counts by the time it ends.
 */
const folderOf = (policyFile: string) => join(keepingFolder(policyFile), `followers-${basename(policyFile)}`);

const digest = (text: string) => createHash('sha256').update(text).digest('hex');

/** How often a follower gives a sign of life, and how long one without is believed, in milliseconds. */
const signEvery = 5_000;
const goneAfter = 12_000;
/** The longest that a command waits for those who follow, in milliseconds. */
const patience = 3_000;

/** Somebody who follows a policy. */
export interface Follower {
  /** Says which text was read. Never fails: who cannot write there is not waited for. */
  readonly hasRead: (text: string) => void;
  readonly close: () => Promise<void>;
}

/** Begins to follow. */
export function follower(policyFile: string): Follower {
  const file = join(folderOf(policyFile), randomBytes(9).toString('hex'));
  let queue: Promise<unknown> = Promise.resolve();
  const inTurn = (work: () => Promise<unknown>) => {
    queue = queue.then(work).catch(() => undefined);
    return queue;
  };
  const signs = setInterval(() => {
    const now = new Date();
    void inTurn(() => utimes(file, now, now));
  }, signEvery);
  signs.unref();
  return {
    hasRead: (text) => {
      void inTurn(async () => {
        await makeKeepingFolder(policyFile);
        await mkdir(folderOf(policyFile), { recursive: true, mode: 0o700 });
        await writeFileWhole(file, digest(text), { mode: 0o600 });
      });
    },
    close: async () => {
      clearInterval(signs);
      await inTurn(() => rm(file, { force: true }));
    },
  };
}

/** Waits until all who follow a policy have read a text, or do not seem to be there any more. */
export async function untilRead(policyFile: string, text: string): Promise<void> {
  const folder = folderOf(policyFile);
  const wanted = digest(text);
  const giveUp = Date.now() + patience;
  for (;;) {
    const names = await readdir(folder).catch(() => []);
    const isRead = await Promise.all(
      // Names with a dot are being written.
      names
        .filter((name) => !name.includes('.'))
        .map(async (name) => {
          const file = join(folder, name);
          const found = await stat(file).catch(() => undefined);
          if (found === undefined) return true;
          if (Date.now() - found.mtimeMs > goneAfter) {
            // Left by one that was killed.
            await rm(file, { force: true }).catch(() => undefined);
            return true;
          }
          return (await readFile(file, 'utf8').catch(() => wanted)) === wanted;
        }),
    );
    if (isRead.every(Boolean) || Date.now() > giveUp) return;
    await wait(15);
  }
}
