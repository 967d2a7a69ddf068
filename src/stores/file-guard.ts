import { randomBytes } from 'node:crypto';
import { dirname } from 'node:path';
import { createGuard, type Guard } from '../guard/guard.js';
import type { GuardOptions } from '../guard/context.js';
import type { Letter } from '../core/ports.js';
import { memoryCounters } from './counters-memory.js';
import { hashingQueue, nativeHasher } from './hasher.js';
import { nativeVerifier } from './htpasswd-hashes.js';
import { fileJournal } from './journal-file.js';
import { openKeys } from './keeping.js';
import { fileLinkUses } from './link-uses.js';
import { mailServer, requestDesk } from './mail.js';
import { refusalDelay } from './refusal-delay.js';
import { tokenKeysFrom } from './token-keys.js';
import { followPolicy, type FollowedPolicy, type PolicyNews } from './policy-file.js';

/** A guard over a policy file, with what Node has to offer for everything else. */
export interface FileGuard extends Guard {
  readonly policy: FollowedPolicy['current'];
  /** The policy before it, while both count. */
  readonly former: FollowedPolicy['former'];
  /** Where the policy lies. */
  readonly file: string;
  /** Stops following the policy file, so that a process can end. */
  readonly close: () => Promise<void>;
}

/**
 * A guard over a policy file. It follows the file's changes; the secret is `DORLIN_SECRET` or
 * `.dorlin/secret` beside the policy.
 *
 * @param file - the path of the policy, usually `dorlin.yaml`
 * @param options - what to be told of, and, for tests, other ports
 * @throws DorlinError `policy-missing`, `policy-invalid`, `secret-weak`, `mail-missing`
 *
 * @example
 * const guard = await guardFromFile('dorlin.yaml');
 * app.use(guardMiddleware(guard));
 */
export async function guardFromFile(
  file: string,
  options: PolicyNews & {
    /** Told why the journal cannot be written, once a minute at most; visitors do not notice. */
    readonly onJournalFailed?: ((problem: string) => void) | undefined;
    /** Sends letters to visitors in another way than by SMTP. */
    readonly sendLetter?: ((letter: Letter) => Promise<void>) | undefined;
  } & Partial<Pick<GuardOptions, 'onEvent' | 'identify' | 'clock' | 'hasher' | 'counters'>> = {},
): Promise<FileGuard> {
  const followed = await followPolicy(file, options);
  const { onEvent, clock } = options;
  const journal = fileJournal(file, followed.current, options.onJournalFailed, clock);
  const queue = hashingQueue();
  try {
    const { mail, locks } = followed.current();
    const sends = [...locks.values()].some(({ request }) => request !== undefined);
    // Told at the start, not when the first visitor asks.
    if (mail !== undefined && sends && options.sendLetter === undefined) mailServer(mail);
    const keys = await openKeys(file);
    const guard = createGuard({
      policy: followed.current,
      former: followed.former,
      keys,
      requests: requestDesk(file, followed.current, keys, options.sendLetter),
      hasher: options.hasher ?? queue(nativeHasher),
      verifier: queue(nativeVerifier),
      linkUses: fileLinkUses(file),
      refusalDelay: refusalDelay(),
      tokenKeys: tokenKeysFrom(dirname(file)),
      counters: options.counters ?? memoryCounters(),
      random: randomBytes,
      clock: options.clock ?? (() => Date.now() / 1000),
      identify: options.identify,
      onEvent: (event) => {
        journal.note(event);
        onEvent?.(event);
      },
    });
    const close = async () => {
      await followed.close();
      await journal.settled();
    };
    return { ...guard, policy: followed.current, former: followed.former, file, close };
  } catch (error) {
    await followed.close();
    throw error;
  }
}
