import { readFile } from 'node:fs/promises';
import { basename } from 'node:path';
import writeFileAtomic from 'write-file-atomic';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/compile.js';
import { editPolicy, type PolicyEditor } from '../core/policy/edit.js';
import { formatProblems } from '../core/policy/problem.js';
import { readPolicy, readPolicyOrThrow } from '../core/policy/read.js';
import { whileAlone } from './keeping.js';
import { keepStep } from './steps.js';

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
 * @param beforeWriting - what must be done for the edit to count, while no other command writes
 * @throws DorlinError `policy-missing`, `policy-invalid`, `policy-busy`, `policy-changed`
 */
export async function editPolicyFile(
  file: string,
  edit: (editor: PolicyEditor) => void,
  beforeWriting: () => Promise<void> = () => Promise.resolve(),
): Promise<{ before: Policy; after: Policy }> {
  return whileAlone(file, async () => {
    const text = await readPolicyText(file);
    const edited = editPolicy(text, file, edit);
    if (edited.text === text) return edited;
    await beforeWriting();
    if ((await readPolicyText(file)) !== text) {
      throw new DorlinError(
        'policy-changed',
        `${file} was changed meanwhile; nothing was written.`,
      );
    }
    await keepStep(file, text, edited.text);
    await writeFileAtomic(file, edited.text);
    return edited;
  });
}

/** A policy file that is followed while a site runs. */
export interface FollowedPolicy {
  /** The newest policy that was without mistake. */
  readonly current: () => Policy;
  /** Stops following. */
  readonly close: () => Promise<void>;
}

/** What is told about a policy file that is followed. */
export interface PolicyNews {
  /** A new policy counts from now on. */
  readonly onChange?: ((before: Policy, after: Policy) => void) | undefined;
  /** The new text is broken, or gone: the policy before it stays in force. */
  readonly onBroken?: ((problems: string) => void) | undefined;
}

/**
 * Loads a policy file and follows its changes. A change with a mistake is told and otherwise
 * ignored: the last good policy stays.
 *
 * @throws DorlinError `policy-missing`, `policy-invalid`; at the start there is no last good one
 */
export async function followPolicy(file: string, news: PolicyNews = {}): Promise<FollowedPolicy> {
  let text = await readPolicyText(file);
  let policy = readPolicyOrThrow(text, file);

  const reload = async () => {
    const newText = await readPolicyText(file).catch(() => undefined);
    if (newText === undefined) {
      news.onBroken?.(`${basename(file)} is gone`);
      return;
    }
    if (newText === text) return;
    text = newText;
    const reading = readPolicy(newText);
    if (!reading.ok) {
      news.onBroken?.(formatProblems(reading.problems, basename(file)));
      return;
    }
    const before = policy;
    policy = reading.policy;
    news.onChange?.(before, policy);
  };
  // Loaded here, as only what goes on running follows a file.
  const { watch } = await import('chokidar');
  // Reloads follow each other, so that the newest text is the last one read.
  let queue = Promise.resolve();
  // Editors write in several steps, or by renaming: only what has come to rest is read.
  const watcher = watch(file, {
    ignoreInitial: true,
    atomic: true,
    awaitWriteFinish: { stabilityThreshold: 60, pollInterval: 20 },
  });
  watcher.on('all', () => {
    queue = queue.then(reload);
  });
  await new Promise<void>((ready) =>
    watcher.once('ready', () => {
      ready();
    }),
  );
  // A change between the reading above and the watcher's start would otherwise be missed.
  await reload();
  return { current: () => policy, close: () => watcher.close() };
}
