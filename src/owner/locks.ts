import { DorlinError } from '../core/errors.js';
import type { Review } from '../core/policy/review.js';
import type { PolicyEditor } from '../core/policy/editor.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { changeBetween } from './change.js';
import { applyLockSettings, standingOf, type LockSettings, type LockStanding } from './lock-settings.js';
import { lockNamed } from './named.js';
import { isSamePlace, parsedPlace, refuseEmptyPlaces } from './place-text.js';

/** What is to become of a lock. */
export interface LockOrder {
  /** Places to put under it, as paths or whole addresses. */
  readonly places?: readonly string[];
  readonly settings?: LockSettings;
  /** Whether places count under which no file lies, as an application makes those pages. */
  readonly dynamic?: boolean;
}

/** A lock after it was made or changed, and what that opened and closed. */
export interface LockResult extends Review {
  readonly lock: LockStanding;
  /** Whether it was made just now. */
  readonly made: boolean;
  /** The places that were named, as the policy writes them. */
  readonly places: readonly string[];
}

/**
 * Puts places under a lock, which is made where there is none of that name, and sets how it is.
 *
 * @throws DorlinError `lock-name`, `lock-unknown` where there is none and no place to make one of,
 * `place-invalid`, `place-empty`, `time-invalid`, `time-past`, and those of an edit
 */
export async function changeLock(
  policyFile: string,
  name: string,
  { places = [], settings = {}, dynamic = false }: LockOrder,
): Promise<LockResult> {
  if (!/^[a-z][a-z0-9_-]{0,63}$/.test(name)) {
    throw new DorlinError('lock-name', `\`${name}\` cannot be the name of a lock.`);
  }
  const now = Date.now() / 1000;
  const edited = await editPolicyFile(
    policyFile,
    (editor) => {
      if (places.length === 0) lockNamed(editor.before, name);
      addPlaces(editor, name, places);
      applyLockSettings(editor, name, settings, now);
    },
    async ({ before, after }) => {
      const wanted = places.map((text) => parsedPlace(before, text));
      if (!dynamic) await refuseEmptyPlaces(policyFile, after, wanted);
    },
  );
  const { before, after } = edited;
  const texts = places.map((text) => parsedPlace(after, text).text);
  return {
    lock: standingOf(after, lockNamed(after, name)),
    made: !before.locks.has(name),
    places: texts,
    ...(await changeBetween(policyFile, edited, texts)),
  };
}

function addPlaces(editor: PolicyEditor, name: string, places: readonly string[]): void {
  const wanted = places.map((text) => parsedPlace(editor.before, text));
  const lock = editor.before.locks.get(name);
  if (lock === undefined) editor.addLock(name);
  const added = new Set<string>();
  for (const place of wanted) {
    const except = lock?.except.find((other) => isSamePlace(other, place));
    if (except !== undefined) editor.removePlace(name, 'except', except.text);
    const isThere = lock?.covers.some((other) => isSamePlace(other, place)) === true;
    if (!isThere && !added.has(place.text)) editor.addPlace(name, 'covers', place.text);
    added.add(place.text);
  }
}

/** The locks of a policy. */
export interface LockList {
  readonly site: string;
  readonly locks: readonly LockStanding[];
}

export async function listLocks(policyFile: string): Promise<LockList> {
  const policy = await loadPolicy(policyFile);
  return {
    site: policy.site.name,
    locks: [...policy.locks.values()].map((lock) => standingOf(policy, lock)),
  };
}

/** @throws DorlinError `lock-unknown` */
export async function describeLock(policyFile: string, name: string): Promise<LockStanding> {
  const policy = await loadPolicy(policyFile);
  return standingOf(policy, lockNamed(policy, name));
}
