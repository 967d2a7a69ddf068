import { createHash } from 'node:crypto';
import type * as z from 'zod';
import { DorlinError } from '../core/errors.js';
import { carryDraft, draftStandingOf, dropDraft, goBack, type BackResult } from '../owner/drafts.js';
import type { SeenBy } from '../owner/seen-by.js';
import { readPolicyText } from '../stores/policy-file.js';
import type { Caller } from './context.js';

/**
 * One call of the console: what it takes, who may, and what it does. `locksOf` names the locks that a
 * keeper must look after; a call without it is for owners alone, unless it is `forAll`.
 */
export interface Call<Input, Result> {
  readonly input: z.ZodType<Input>;
  /** Whether it changes anything: then the version that the caller has seen must be the newest. */
  readonly changes: boolean;
  readonly forAll: boolean;
  readonly locksOf?: ((input: Input) => readonly string[]) | undefined;
  readonly run: (input: Input, caller: Caller) => Promise<Result>;
}

/** For owners: reads something. */
export const read = <Input, Result>(
  input: z.ZodType<Input>,
  run: (input: Input, caller: Caller) => Promise<Result>,
): Call<Input, Result> => ({ input, changes: false, forAll: false, run });

/** For everybody who is signed in: reads something. */
export const readByAll = <Input, Result>(
  input: z.ZodType<Input>,
  run: (input: Input, caller: Caller) => Promise<Result>,
): Call<Input, Result> => ({ input, changes: false, forAll: true, run });

/** For owners: changes something. */
export const act = <Input, Result>(
  input: z.ZodType<Input>,
  run: (input: Input, caller: Caller) => Promise<Result>,
): Call<Input, Result> => ({ input, changes: true, forAll: false, run });

/** About the ways in of one lock: for owners, and for the keepers of that lock. */
const about =
  (changes: boolean) =>
  <Input extends { readonly lock: string }, Result>(
    input: z.ZodType<Input>,
    run: (input: Input, caller: Caller) => Promise<Result>,
  ): Call<Input, Result> => ({ input, changes, forAll: false, locksOf: ({ lock }) => [lock], run });

export const readWays = about(false);
export const actOnWays = about(true);

const mostActs = 200;
const digestOf = async (file: string) =>
  createHash('sha256')
    .update(await readPolicyText(file))
    .digest('base64url');

/** Makes an edit in the draft; or at once, and carries it into a draft that waits. */
export async function edit<Result extends object>(
  isNow: boolean | undefined,
  { site, person, draft }: Caller,
  work: (file: string) => Promise<Result>,
): Promise<Result & { readonly draftIsBehind?: boolean }> {
  if (isNow !== true && person.role === 'owner') {
    const file = await draft();
    const before = await digestOf(file);
    try {
      const result = await work(file);
      // The oldest go: they are undone step by step then.
      const [oldest] = site.acts.keys();
      if (site.acts.size >= mostActs && oldest !== undefined) site.acts.delete(oldest);
      site.acts.set(await digestOf(file), before);
      return result;
    } finally {
      // One that says nothing of its own is none: also one that was begun for an edit that failed.
      if ((await draftStandingOf(site.policyFile))?.isSame === true) await dropDraft(site.policyFile);
    }
  }
  const result = await work(site.policyFile);
  return (await carryDraft(site.policyFile)) ? result : { ...result, draftIsBehind: true };
}

/**
 * Does two edits of a file as one: where the second fails, the first is taken back; unless somebody else has written
 * between the two, whose change would go with it.
 */
export async function bothOrNone<First, Second>(
  file: string,
  first: () => Promise<First>,
  second: () => Promise<Second>,
): Promise<readonly [First, Second]> {
  const before = await digestOf(file);
  const done = await first();
  const between = await digestOf(file);
  try {
    return [done, await second()];
  } catch (error) {
    if (between !== before && (await digestOf(file)) === between) await goBack(file);
    throw error;
  }
}

/**
 * Through whose eyes somebody may look. Keepers are not to read what lies behind other locks: they look as
 * strangers and as guests of their own, and now, as at another moment a lock may be off.
 */
export function eyesOf({ role, locks, name: who }: Caller['person'], seenBy: SeenBy): SeenBy {
  const { opened = [], ...more } = seenBy;
  const isOthers = opened.some((one) => !locks.includes(one)) || Object.values(more).some((one) => one !== undefined);
  if (role !== 'owner' && isOthers) {
    throw new DorlinError('not-allowed', `${who} may look as a stranger, or as a guest of locks of their own.`);
  }
  return seenBy;
}

/** Takes the last act in a draft back, with every step that it was made of. */
export async function undo(acts: ReadonlyMap<string, string>, file: string): Promise<BackResult> {
  const start = acts.get(await digestOf(file));
  const done = await goBack(file);
  for (let more = 0; more < mostSteps && start !== undefined && (await digestOf(file)) !== start; more++) {
    await goBack(file);
  }
  return done;
}

/** More than any act is made of. */
const mostSteps = 5;

/** Whether somebody may make a call. Refused by the server, whatever a page shows. */
export function mayCall(
  { role, locks }: { readonly role: string; readonly locks: readonly string[] },
  {
    forAll,
    locksOf,
  }: { readonly forAll: boolean; readonly locksOf?: ((input: never) => readonly string[]) | undefined },
  input: unknown,
): boolean {
  if (role === 'owner' || forAll) return true;
  if (role !== 'keeper' || locksOf === undefined) return false;
  const needed = locksOf(input as never);
  return needed.length > 0 && needed.every((one) => locks.includes(one));
}
