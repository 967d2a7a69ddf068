import { readFile } from 'node:fs/promises';
import { deriveKeys, type KeyChain } from '../core/passes/keys.js';
import { watchFile } from './file-watch.js';
import { givenSecret, openKeys, secretFile } from './keeping.js';

/** The keys of a policy, as its secret changes. */
export interface FollowedKeys {
  /** Those that count now: the same object until they change. */
  readonly current: () => KeyChain;
  readonly close: () => Promise<void>;
}

/** Keys that stay as they are. */
export const fixedKeys = (keys: KeyChain): FollowedKeys => ({ current: () => keys, close: () => Promise.resolve() });

/**
 * Reads the keys of a policy, and follows `.dorlin/secret`, so that a rotated one counts in what runs. What
 * the environment says stays as it is, and so do the last good keys where the file is broken or gone.
 *
 * @throws DorlinError `secret-weak`, `secret-missing`
 */
export async function followKeys(policyFile: string): Promise<FollowedKeys> {
  let keys = await openKeys(policyFile);
  if ((await givenSecret()) !== undefined) return fixedKeys(keys);
  const file = secretFile(policyFile);
  let text = await readFile(file, 'utf8').catch(() => '');
  let queue = Promise.resolve();
  const reload = () => {
    queue = queue
      .then(async () => {
        const now = await readFile(file, 'utf8');
        if (now === text) return;
        keys = await deriveKeys(now);
        text = now;
      })
      .catch(() => undefined);
  };
  const endWatch = await watchFile(file, reload);
  // A change since it was read would otherwise be missed.
  reload();
  await queue;
  return {
    current: () => keys,
    close: async () => {
      await endWatch();
      await queue;
    },
  };
}
