import type { Place } from '../core/places/place.js';
import { DorlinError } from '../core/errors.js';
import type { Review } from '../core/policy/review.js';
import type { Lock, Policy } from '../core/policy/types.js';
import type { PolicyEditor } from '../core/policy/editor.js';
import { editPolicyFile } from '../stores/policy-file.js';
import { changeBetween, stillShutOf, type StillShut } from './change.js';
import { lockNamed } from './named.js';
import { neededBehind, type NeededFile } from './needed-files.js';
import { forgetEnded, type Forgotten } from './passwords/recalled.js';
import { isSamePlace, parsedPlace } from './place-text.js';

/** What is to be released. */
export interface ReleaseOrder {
  /** Places to take out of their locks, as paths or whole addresses. */
  readonly places?: readonly string[];
  /** Locks to end. */
  readonly locks?: readonly string[];
  /** The one lock that places are taken out of; else every one that covers them. */
  readonly from?: string | undefined;
}

/** What a release came to. */
export interface ReleaseResult extends Review, Forgotten {
  readonly places: readonly string[];
  /** The locks that were ended. */
  readonly ended: readonly string[];
  /** Those of the places that are still shut. */
  readonly stillShut: readonly StillShut[];
  /** Locks that cover nothing any more. */
  readonly emptied: readonly string[];
  /** Files that pages which are open now need, and that are still shut. */
  readonly needs: readonly NeededFile[];
}

/**
 * Takes places out of their locks, and ends locks.
 * @throws DorlinError `lock-unknown`, `place-invalid`, `place-unlocked`, and those of an edit
 */
export async function release(
  policyFile: string,
  { places = [], locks = [], from }: ReleaseOrder,
): Promise<ReleaseResult> {
  const edited = await editPolicyFile(policyFile, (editor) => {
    for (const name of [...locks, ...(from === undefined ? [] : [from])]) lockNamed(editor.before, name);
    for (const name of locks) editor.removeLock(name);
    for (const text of places) releasePlace(editor, text, locks, from);
  });
  const { before, after } = edited;
  const forgotten = await forgetEnded(policyFile, locks.length > 0);
  const texts = places.map((text) => parsedPlace(before, text).text);
  const named = locks.flatMap((name) => (before.locks.get(name)?.covers ?? []).map(({ text }) => text));
  const review = await changeBetween(policyFile, edited, [...texts, ...named]);
  return {
    places: texts,
    ended: locks,
    ...review,
    stillShut: stillShutOf(after, texts),
    emptied: [...after.locks.values()]
      .filter(({ name, covers }) => covers.length === 0 && before.locks.get(name)?.covers.length !== 0)
      .map(({ name }) => name),
    needs: await neededBehind(policyFile, after, review.opened),
    ...forgotten,
  };
}

/**
 * Takes a place out of every lock that covers it, or of one: where it is listed, its line goes;
 * where it lies inside something that is listed, it becomes an exception.
 */
function releasePlace(editor: PolicyEditor, text: string, ended: readonly string[], from: string | undefined): void {
  const place = parsedPlace(editor.before, text);
  const locks = [...editor.before.locks.values()].filter(
    ({ name }) => !ended.includes(name) && (from === undefined || name === from),
  );
  const covering = locks.filter((lock) => covers(editor.before, lock, place));
  if (covering.length === 0) {
    throw new DorlinError('place-unlocked', `\`${text}\` is under no lock${from ? ` ${from}` : ''}.`);
  }
  for (const lock of covering) {
    for (const listed of lock.covers) {
      if (isSamePlace(listed, place) || isInside(listed, place)) {
        editor.removePlace(lock.name, 'covers', listed.text);
      }
    }
    const isListedOnly = lock.covers.every(
      (listed) => isSamePlace(listed, place) || !reaches(editor.before, lock, listed, place),
    );
    const isExcepted = lock.except.some((other) => isSamePlace(other, place));
    if (!isListedOnly && !isExcepted) editor.addPlace(lock.name, 'except', place.text);
  }
}

/** Whether a lock has anything to do with a place: lists it, covers it, or covers part of it. */
function covers(policy: Policy, lock: Lock, place: Place): boolean {
  return lock.covers.some(
    (listed) => isSamePlace(listed, place) || isInside(listed, place) || reaches(policy, lock, listed, place),
  );
}

/** Whether a listed place lies inside a folder that is to be released. */
function isInside(listed: Place, place: Place): boolean {
  if (place.kind === 'site') return true;
  if (!('path' in listed)) return false;
  if (place.kind === 'page') return listed.kind === 'section' && listed.path === place.path;
  return place.kind === 'folder' && listed.path.startsWith(`${place.path}/`);
}

/** Whether a listed place covers the place, going by what the policy says of its path. */
function reaches(policy: Policy, lock: Lock, listed: Place, place: Place): boolean {
  if (!('path' in place) || place.kind === 'section') return false;
  const target = encodeURI(place.text);
  const read = policy.read(target);
  if (!read.ok) return false;
  return read.readings.some((reading) =>
    policy.index
      .statements(reading)
      .some((spoken) => spoken.lock.name === lock.name && spoken.place === listed && spoken.says === 'covers'),
  );
}
