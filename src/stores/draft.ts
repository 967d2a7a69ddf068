import { readFile, rm, stat } from 'node:fs/promises';
import { dirname, join, parse } from 'node:path';
import { writeFileWhole } from './whole-file.js';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import { readPolicy, readPolicyOrThrow } from '../core/policy/read.js';
import { baseFile, draftFile } from './draft-files.js';
import { ignore } from './file-errors.js';
import { makeKeepingFolder, whileAlone } from './keeping.js';
import { readPolicyText } from './policy-file.js';
import { forgetPasswords, remindOf } from './recall-file.js';
import { forgetStep, forgetSteps, keepForgotten, keepStep, stepTo } from './steps.js';
import { putWhole, shareRecall } from './whole-policy.js';

/** The draft of a policy that waits to be made live; undefined where there is none. */
export async function waitingDraft(policyFile: string): Promise<string | undefined> {
  const draft = draftFile(ownPolicyFile(policyFile));
  const isThere = await stat(draft).then(
    () => true,
    () => false,
  );
  return isThere && draft !== policyFile ? draft : undefined;
}

const textOf = async (file: string) => readFile(file, 'utf8').catch(ignore('ENOENT'));

/**
 * Begins a draft as a copy of the policy, unless there is one, and says where it lies.
 * @throws DorlinError `policy-missing`, `policy-invalid`
 */
export async function openDraft(policyFile: string): Promise<string> {
  return whileAlone(policyFile, async () => {
    const draft = draftFile(policyFile);
    if ((await textOf(draft)) !== undefined) return draft;
    const text = await readPolicyText(policyFile);
    // A copy of a mistake could not be edited either, and would outlive its mending.
    readPolicyOrThrow(text, policyFile);
    await makeKeepingFolder(policyFile);
    // What the draft was begun from comes first: a draft without it could not be made live.
    await writeFileWhole(baseFile(policyFile), text, { mode: 0o600 });
    await writeFileWhole(draft, text);
    return draft;
  });
}

/** What a change of the whole policy came to. */
export interface Replaced {
  readonly before: Policy;
  readonly after: Policy;
}

/**
 * Puts a policy's draft in its place.
 *
 * @param over - even though the policy was changed since the draft was begun
 * @param beforeWriting - told what is about to happen; nothing is written if it throws
 * @throws DorlinError `draft-missing`, `policy-invalid`, `policy-changed`
 */
export async function makeDraftLive(policyFile: string, over: boolean): Promise<Replaced> {
  return whileAlone(policyFile, async () => {
    const draft = draftFile(policyFile);
    const text = await textOf(draft);
    if (text === undefined) throw new DorlinError('draft-missing', `There is no draft ${draft}.`);
    const after = readPolicyOrThrow(text, draft);
    const current = await readPolicyText(policyFile);
    if (!over && current !== (await textOf(baseFile(policyFile)))) {
      throw new DorlinError(
        'policy-changed',
        `${policyFile} was changed since its draft was begun; nothing was made live.`,
        {
          mend: `Take that change into ${draft} as well, then run \`dorlin live --over\`; or run \`dorlin back --draft\` and begin anew.`,
        },
      );
    }
    const before = readPolicyOrThrow(current, policyFile);
    await keepStep(policyFile, current, text);
    await putWhole(policyFile, text);
    await dropDraft(policyFile);
    return { before, after };
  });
}

/**
 * Carries what has changed in a policy since its draft was begun into the draft, so that it can be made live.
 *
 * @throws DorlinError `draft-missing`, `draft-conflict` where both have changed the same,
 * `policy-invalid` or `edit-refused` where the two together would be wrong; the draft is then as it was
 */
export async function bringDraftOver(policyFile: string): Promise<void> {
  await whileAlone(policyFile, async () => {
    const draft = draftFile(policyFile);
    const [ours, base] = await Promise.all([textOf(draft), textOf(baseFile(policyFile))]);
    if (ours === undefined || base === undefined) {
      throw new DorlinError('draft-missing', `There is no draft ${draft}.`);
    }
    const live = await readPolicyText(policyFile);
    if (live === base) return;
    readPolicyOrThrow(live, policyFile);
    const text = await carried(base, ours, live, draft);
    // The draft first: one with an older base than it has would be refused once more, and no worse.
    if (text !== ours) {
      await keepStep(draft, ours, text);
      await putWhole(draft, text);
    }
    await writeFileWhole(baseFile(policyFile), live, { mode: 0o600 });
  });
}

/** Merging by lines takes time by the cube of them; what differs is mostly a few. */
const mostLines = 300;

/**
 * A draft with what has changed in its policy: by lines, so that the comments of both stay; where those meet
 * or are many, by what the keys mean, and then those of the policy stay.
 */
async function carried(base: string, ours: string, live: string, draft: string): Promise<string> {
  const merged = await mergedLines([ours, base, live].map((text) => text.split('\n')));
  if (merged !== undefined && readPolicy(merged).ok) return merged;
  const { carryChanges } = await import('../core/policy/carry.js');
  const found = carryChanges(base, ours, live, draft);
  if (found.ok) return found.text;
  throw new DorlinError('draft-conflict', `The draft and the policy were both changed at ${found.places.join(', ')}.`);
}

/** Three texts merged, of which the second is what the others began as; undefined where that cannot be done. */
async function mergedLines(texts: readonly string[][]): Promise<string | undefined> {
  const [ours = [], base = [], live = []] = texts;
  const shortest = Math.min(...texts.map(({ length }) => length));
  const isAlike = (at: (lines: readonly string[]) => string | undefined) =>
    at(ours) === at(base) && at(base) === at(live);
  let start = 0;
  while (start < shortest && isAlike((lines) => lines[start])) start++;
  let end = 0;
  while (end < shortest - start && isAlike((lines) => lines.at(-1 - end))) end++;
  const middle = texts.map((lines) => lines.slice(start, lines.length - end));
  if (middle.some(({ length }) => length > mostLines)) return undefined;
  const { merge } = await import('node-diff3');
  const [mine = [], from = [], theirs = []] = middle;
  const merged = merge(mine, from, theirs, { excludeFalseConflicts: true });
  if (merged.conflict) return undefined;
  return [...base.slice(0, start), ...merged.result, ...base.slice(base.length - end)].join('\n');
}

/** How a draft stands to its policy. */
export interface DraftStanding {
  /** Whether the policy was changed since the draft was begun. */
  readonly isBehind: boolean;
  /** Whether it says what the policy says, letter by letter. */
  readonly isSame: boolean;
  /** When it was last changed (RFC 3339). */
  readonly changed: string;
}

/** Undefined where there is no draft. */
export async function draftStanding(policyFile: string): Promise<DraftStanding | undefined> {
  const draft = draftFile(policyFile);
  const found = await stat(draft).catch(ignore('ENOENT'));
  if (found === undefined) return undefined;
  const [base, live, text] = await Promise.all([textOf(baseFile(policyFile)), textOf(policyFile), textOf(draft)]);
  return { isBehind: base !== live, isSame: text === live, changed: found.mtime.toISOString() };
}

/** @throws DorlinError `draft-missing` */
export async function throwDraftAway(policyFile: string): Promise<void> {
  await whileAlone(policyFile, async () => {
    const draft = draftFile(policyFile);
    if ((await textOf(draft)) === undefined) {
      throw new DorlinError('draft-missing', `There is no draft ${draft}.`);
    }
    await dropDraft(policyFile);
  });
}

async function dropDraft(policyFile: string): Promise<void> {
  await rm(draftFile(policyFile), { force: true });
  await rm(baseFile(policyFile), { force: true });
  await forgetSteps(draftFile(policyFile));
}

/**
 * Takes the last edit of a policy back.
 * @throws DorlinError `nothing-to-take-back`, `policy-invalid`
 */
export async function stepBack(policyFile: string): Promise<Replaced & { readonly at: string }> {
  return whileAlone(policyFile, async () => {
    const current = await readPolicyText(policyFile);
    const step = await stepTo(policyFile, current);
    if (step === undefined) {
      throw new DorlinError(
        'nothing-to-take-back',
        `${policyFile} is not as a command of Dorlin left it, or none has edited it.`,
      );
    }
    const after = readPolicyOrThrow(step.text, `${policyFile} as it was`);
    const before = readPolicyOrThrow(current, policyFile);
    // First: a policy with a password that cannot be looked up is the worse half.
    if (step.recall !== undefined) await remindOf(policyFile, step.recall);
    await putWhole(policyFile, step.text);
    await forgetStep(policyFile, step);
    return { before, after, at: step.at };
  });
}

/** The policy that a file is, or is the draft of. */
export function ownPolicyFile(file: string): string {
  const { name, ext } = parse(file);
  return join(dirname(file), `${name.replace(/\.draft$/, '')}${ext}`);
}

/**
 * Forgets the text of passwords that neither a policy nor its draft has. It is kept with the step that
 * ended them, so that a step back brings it back.
 */
export async function forgetEndedPasswords(file: string): Promise<void> {
  await whileAlone(file, async () => {
    const own = ownPolicyFile(file);
    const policies: Policy[] = [];
    for (const path of [own, draftFile(own)]) {
      const text = await textOf(path);
      if (text !== undefined) policies.push(readPolicyOrThrow(text, path));
    }
    const gone = await forgetPasswords(file, (lock, id) =>
      policies.some(({ locks }) => locks.get(lock)?.passwords.some((one) => one.id === id)),
    );
    await keepForgotten(file, await readPolicyText(file), gone);
    if (Object.keys(gone).length > 0) await shareRecall(own);
  });
}
