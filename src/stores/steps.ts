import { createHash } from 'node:crypto';
import { readFile, rm } from 'node:fs/promises';
import { basename, join } from 'node:path';
import { writeFileWhole } from './whole-file.js';
import * as z from 'zod';
import { ignore } from './file-errors.js';
import { keepingFolder, makeKeepingFolder } from './keeping.js';
import { recallSchema, type Recall } from './recall-file.js';

const stepsSchema = z.array(
  z.strictObject({
    /** When, as RFC 3339. */
    at: z.string(),
    /** The policy as it was before. */
    text: z.string(),
    /** The SHA-256 of what was written over it. */
    over: z.string(),
    /** The passwords that could be looked up until then, as they lay in the recall file. */
    recall: recallSchema.optional(),
  }),
);
export type Step = z.output<typeof stepsSchema>[number];

/** Most steps that are kept. */
const mostSteps = 30;

const fileOf = (policyFile: string) => `steps-${basename(policyFile)}.json`;

const digest = (text: string) => createHash('sha256').update(text).digest('hex');

async function readSteps(policyFile: string): Promise<Step[]> {
  const path = join(keepingFolder(policyFile), fileOf(policyFile));
  const text = await readFile(path, 'utf8').catch(ignore('ENOENT'));
  if (text === undefined) return [];
  try {
    return stepsSchema.parse(JSON.parse(text));
  } catch {
    // Steps that cannot be read lead nowhere; the policy itself does not need them.
    return [];
  }
}

async function writeSteps(policyFile: string, steps: readonly Step[]): Promise<void> {
  const path = join(await makeKeepingFolder(policyFile), fileOf(policyFile));
  await writeFileWhole(path, `${JSON.stringify(steps.slice(-mostSteps), null, 2)}\n`, {
    mode: 0o600,
  });
}

/** Keeps what a policy was before an edit. To be called while alone, and before it is written. */
export async function keepStep(policyFile: string, before: string, after: string): Promise<void> {
  const at = new Date().toISOString();
  const steps = await readSteps(policyFile);
  await writeSteps(policyFile, [...steps, { at, text: before, over: digest(after) }]);
}

/** Keeps what was forgotten with the step that led to a policy, if one did. To be called while alone. */
export async function keepForgotten(policyFile: string, text: string, gone: Recall): Promise<void> {
  const over = digest(text);
  const steps = await readSteps(policyFile);
  const at = steps.findLastIndex((step) => step.over === over);
  const step = steps[at];
  if (step === undefined || Object.keys(gone).length === 0) return;
  await writeSteps(policyFile, steps.with(at, { ...step, recall: { ...gone, ...step.recall } }));
}

/** The step that led to a policy; undefined where there is none, or it was edited since. */
export async function stepTo(policyFile: string, text: string): Promise<Step | undefined> {
  const over = digest(text);
  return (await readSteps(policyFile)).findLast((step) => step.over === over);
}

/** Forgets a step that was taken back, and those after it. To be called while alone. */
export async function forgetStep(policyFile: string, step: Step): Promise<void> {
  const steps = await readSteps(policyFile);
  const at = steps.findIndex((one) => one.at === step.at && one.over === step.over);
  if (at >= 0) await writeSteps(policyFile, steps.slice(0, at));
}

/** Forgets all steps of a policy. */
export async function forgetSteps(policyFile: string): Promise<void> {
  await rm(join(keepingFolder(policyFile), fileOf(policyFile)), { force: true });
}
