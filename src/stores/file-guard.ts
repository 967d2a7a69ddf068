import { randomBytes } from 'node:crypto';
import { existsSync } from 'node:fs';
import { basename, dirname } from 'node:path';
import type { KeyChain } from '../core/passes/keys.js';
import type { Letter } from '../core/site-ports.js';
import type { GuardOptions } from '../guard/context.js';
import { createGuard, type Guard } from '../guard/guard.js';
import type { Journal, PolicySource } from '../guard/policy-source.js';
import { memoryCounters } from './counters-memory.js';
import { nativeHasher, sharedHashingQueue } from './hasher.js';
import { nativeVerifier } from './htpasswd-hashes.js';
import { fileJournal } from './journal-file.js';
import { draftFile } from './draft-files.js';
import { fixedKeys, followKeys } from './follow-keys.js';
import { readKept } from './kept-files.js';
import { fileLinkUses } from './link-uses.js';
import { requestDesk, requireMail } from './mail.js';
import { followPolicy, type FollowedPolicy, type PolicyNews } from './policy-file.js';
import { sharedRefusalDelay } from './refusal-delay.js';
import { tokenKeysFrom } from './token-keys.js';

/** All that a guard in Node is made of. What is left out is done in this process's memory. */
export interface GuardPorts extends Pick<
  GuardOptions,
  'ownNames' | 'linkUses' | 'requests' | 'keptFile' | 'marksOf' | 'tokenKeys' | 'identify' | 'onEvent' | 'perSite'
> {
  readonly hasher?: GuardOptions['hasher'] | undefined;
  readonly verifier?: GuardOptions['verifier'] | undefined;
  readonly counters?: GuardOptions['counters'] | undefined;
  readonly refusalDelay?: GuardOptions['refusalDelay'] | undefined;
  readonly clock?: GuardOptions['clock'] | undefined;
  readonly caches?: GuardOptions['caches'] | undefined;
  readonly policies: PolicySource;
  readonly keys: GuardOptions['keys'];
  readonly journal?: Journal | undefined;
}

/** The ports that are there: one that is undefined is one that was left out. */
const given = <Ports extends object>(ports: Ports) =>
  Object.fromEntries(Object.entries(ports).filter(([, port]) => port !== undefined)) as {
    [Name in keyof Ports]: Exclude<Ports[Name], undefined>;
  };

/** A guard with what Node has to offer, and an end. */
export interface NodeGuard extends Guard {
  /** Stops following policies, and waits for what is to be written, so that a process can end. */
  readonly close: () => Promise<void>;
}

/**
 * A guard over any source of policies, in Node: native hashes off the event loop, in one queue for
 * all guards of the process.
 *
 * @example
 * const guard = guardFromPorts({ policies, keys: await deriveKeys(secret), linkUses });
 */
export function guardFromPorts({ policies, journal, onEvent, ...ports }: GuardPorts): NodeGuard {
  const guard = createGuard({
    hasher: sharedHashingQueue(nativeHasher),
    verifier: sharedHashingQueue(nativeVerifier),
    refusalDelay: sharedRefusalDelay,
    counters: memoryCounters(),
    clock: () => Date.now() / 1000,
    ...given(ports),
    random: randomBytes,
    policyFor: (visit) => policies.policyFor(visit),
    former: (policy) => policies.former?.(policy),
    hasDraft: (policy) => policies.hasDraft?.(policy) === true,
    onEvent: (event, policy) => {
      journal?.note(event, policy);
      onEvent?.(event, policy);
    },
  });
  const close = async () => {
    await policies.close();
    await journal?.settled();
  };
  return { ...guard, close };
}

/** Names of a policy and its draft, if they are not the usual ones: those are known to every guard. */
function namesOfPolicy(file: string): string[] | undefined {
  const names = [file, draftFile(file)].map((one) => basename(one));
  return names.every((name) => /^dorlin\b/.test(name)) ? undefined : names;
}

/** Whether a draft lies beside a policy; looked for every few seconds at most, when it is asked for. */
function draftWatch(file: string): () => boolean {
  let looked = -Infinity;
  let isThere = false;
  return () => {
    const now = performance.now();
    if (now - looked > 2000) {
      looked = now;
      isThere = existsSync(draftFile(file));
    }
    return isThere;
  };
}

/** A guard over a policy file. */
export interface FileGuard extends NodeGuard {
  readonly policy: FollowedPolicy['current'];
  /** The policy before it, while both count. */
  readonly former: FollowedPolicy['former'];
  /** Where the policy lies. */
  readonly file: string;
}

/** What a guard over a policy file is told, and what it is to use in the place of what lies beside that. */
export interface FileGuardOptions extends PolicyNews, Partial<Omit<GuardPorts, 'policies' | 'keys'>> {
  readonly keys?: KeyChain | undefined;
  /** Told why the journal cannot be written, once a minute at most; visitors do not notice. */
  readonly onJournalFailed?: ((problem: string) => void) | undefined;
  /** Sends letters to visitors in another way than by SMTP. */
  readonly sendLetter?: ((letter: Letter) => Promise<void>) | undefined;
}

/**
 * A guard over a policy file. It follows the file's changes. The secret is `DORLIN_SECRET`, what
 * `DORLIN_SECRET_FILE` names, or `.dorlin/secret` beside the policy, which is followed too; the journal, the
 * uses of links and the passwords that can be looked up lie there as well, unless others are given.
 *
 * @param file - the path of the policy, usually `dorlin.yaml`
 * @param options - what to be told of, and other ports
 * @throws DorlinError `policy-missing`, `policy-invalid`, `secret-weak`, `mail-missing`
 *
 * @example
 * const guard = await guardFromFile('dorlin.yaml');
 * app.use(guardMiddleware(guard));
 */
export async function guardFromFile(file: string, options: FileGuardOptions = {}): Promise<FileGuard> {
  const { onChange, onBroken, onJournalFailed, sendLetter, keys: own, ...ports } = options;
  const followed = await followPolicy(file, { onChange, onBroken });
  const { current, former } = followed;
  const closing = [followed.close];
  const close = async () => {
    for (const end of closing) await end();
  };
  try {
    // Told at the start, not when the first visitor asks.
    if (sendLetter === undefined && ports.requests === undefined) requireMail(current());
    const { current: keys, close: endKeys } = own === undefined ? await followKeys(file) : fixedKeys(own);
    closing.push(endKeys);
    const guard = guardFromPorts({
      requests: requestDesk(file, keys, sendLetter),
      ownNames: namesOfPolicy(file),
      linkUses: fileLinkUses(file),
      keptFile: (_, name) => readKept(file, name),
      tokenKeys: tokenKeysFrom(dirname(file)),
      journal: fileJournal(file, current, onJournalFailed, ports.clock),
      ...given(ports),
      keys,
      policies: { policyFor: current, former, hasDraft: draftWatch(file), close },
    });
    return { ...guard, policy: current, former, file };
  } catch (error) {
    await close();
    throw error;
  }
}
