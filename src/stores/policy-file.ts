import { readFile, stat } from 'node:fs/promises';
import { basename } from 'node:path';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { editPolicy } from '../core/policy/edit.js';
import type { PolicyEditor } from '../core/policy/editor.js';
import { formatProblems } from '../core/policy/problem.js';
import { readPolicy, readPolicyOrThrow } from '../core/policy/read.js';
import { watchFile } from './file-watch.js';
import { follower } from './followers.js';
import { whileAlone } from './keeping.js';
import { keepStep } from './steps.js';
import { wasPutWhole } from './put-here.js';
import { putWhole } from './whole-policy.js';

/** @throws DorlinError `policy-missing` */
export async function readPolicyText(file: string): Promise<string> {
  try {
    return await readFile(file, 'utf8');
  } catch (cause) {
    throw new DorlinError('policy-missing', `There is no policy at ${file}.`, { cause });
  }
}

/** @throws DorlinError `policy-missing`, `policy-invalid` */
export async function loadPolicy(file: string): Promise<Policy> {
  return readPolicyOrThrow(await readPolicyText(file), file);
}

/**
 * Edits a policy file: all or nothing, comments kept, and never over somebody else's change.
 *
 * @param beforeWriting - what must be done for the edit to count, while no other command writes; nothing
 * is written if it throws
 * @throws DorlinError `policy-missing`, `policy-invalid`, `policy-busy`, `policy-changed`
 */
export async function editPolicyFile(
  file: string,
  edit: (editor: PolicyEditor) => void,
  beforeWriting: (edited: { before: Policy; after: Policy }) => Promise<void> = () => Promise.resolve(),
): Promise<{ before: Policy; after: Policy }> {
  return whileAlone(file, async () => {
    const text = await readPolicyText(file);
    const edited = editPolicy(text, file, edit);
    if (edited.text === text) return edited;
    await beforeWriting(edited);
    if ((await readPolicyText(file)) !== text) {
      throw new DorlinError('policy-changed', `${file} was changed meanwhile; nothing was written.`);
    }
    await keepStep(file, text, edited.text);
    await putWhole(file, edited.text);
    return edited;
  });
}

/** A policy file that is followed while a site runs. */
export interface FollowedPolicy {
  /** The newest policy that was without mistake. */
  readonly current: () => Policy;
  /**
   * The policy before it, while the file has not lain still long enough for what the new one opens
   * to count; see {@link restMilliseconds}.
   */
  readonly former: () => Policy | undefined;
  /** Stops following. */
  readonly close: () => Promise<void>;
}

/** What is told about a policy file that is followed. */
export interface PolicyNews {
  /**
   * A new policy counts from now on: what it closes at once, and what it opens either at once too, or
   * after the file has lain still for so many seconds.
   */
  readonly onChange?: ((before: Policy, after: Policy, opensAfter: number) => void) | undefined;
  /** The new text is broken, or gone: the policy before it stays in force. */
  readonly onBroken?: ((problems: string) => void) | undefined;
}

/**
 * How long a policy file that somebody else than a command has written must lie still before what it
 * opens counts. A file that is being written in place is a valid, shorter policy all the while.
 */
export const restMilliseconds = 2000;

/**
 * Loads a policy file and follows its changes. A change with a mistake is told and otherwise
 * ignored: the last good policy stays. What a change closes counts at once; what it opens counts once
 * the file has lain still, unless a command of Dorlin's put it there whole.
 *
 * @throws DorlinError `policy-missing`, `policy-invalid`; at the start there is no last good one
 */
export async function followPolicy(file: string, news: PolicyNews = {}): Promise<FollowedPolicy> {
  let text = await readPolicyText(file);
  let policy = readPolicyOrThrow(text, file);
  // The text that the policy in force was read from; the file may hold a broken one by now.
  let policyText = text;
  let former: Policy | undefined;
  let settling: NodeJS.Timeout | undefined;

  const follows = follower(file);
  const settle = () => {
    clearTimeout(settling);
    former = undefined;
  };
  /** Waits until the file is as it is now for long enough. */
  const settleLater = () => {
    clearTimeout(settling);
    const waited = text;
    settling = setTimeout(() => {
      inTurn(async () => {
        await reload();
        // Else something came meanwhile, and the wait has begun anew.
        const isAtRest = text === waited && (await ageOf(file)) >= restMilliseconds;
        if (isAtRest && text === policyText) settle();
        else if (former !== undefined) settleLater();
      });
    }, restMilliseconds);
  };
  const reload = async () => {
    const newText = await readPolicyText(file).catch(() => undefined);
    if (newText === undefined) {
      news.onBroken?.(`${basename(file)} is gone`);
      return;
    }
    if (newText === text) return;
    text = newText;
    const isWhole = await wasPutWhole(file, newText);
    const reading = readPolicy(newText);
    if (!reading.ok) {
      follows.hasRead(newText);
      news.onBroken?.(formatProblems(reading.problems, basename(file)));
      if (former !== undefined) settleLater();
      return;
    }
    const before = policy;
    policy = reading.policy;
    policyText = newText;
    if (isWhole) settle();
    else {
      former ??= before;
      settleLater();
    }
    follows.hasRead(newText);
    news.onChange?.(before, policy, isWhole ? 0 : restMilliseconds / 1000);
  };
  // Reloads follow each other, so that the newest text is the last one read.
  let queue = Promise.resolve();
  // Who is told of it may fail; the file is followed all the same.
  const inTurn = (work: () => Promise<void>) => {
    queue = queue.then(work).catch((error: unknown) => {
      process.emitWarning(error instanceof Error ? error : String(error));
    });
  };
  const endWatch = await watchFile(file, () => {
    inTurn(reload);
  });
  // A change between the reading above and the watcher's start would otherwise be missed.
  await reload();
  follows.hasRead(text);
  return {
    current: () => policy,
    former: () => former,
    close: async () => {
      clearTimeout(settling);
      await endWatch();
      await follows.close();
    },
  };
}

/** Since when a file has not been written, in milliseconds; not at all, where it is gone. */
async function ageOf(file: string): Promise<number> {
  const found = await stat(file).catch(() => undefined);
  // A clock that was put back must not keep it from ever being old enough.
  return found === undefined ? 0 : Math.abs(Date.now() - found.mtimeMs);
}
