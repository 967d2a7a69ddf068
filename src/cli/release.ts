import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import type { Place } from '../core/places/place.js';
import type { Lock, Policy } from '../core/policy/types.js';
import type { PolicyEditor } from '../core/policy/edit.js';
import { editPolicyFile } from '../stores/policy-file.js';
import { changeBetween, printChange, shutBy } from './change.js';
import { makeEditCommand, type CommonOptions } from './command.js';
import { isSamePlace, parsed } from './lock.js';
import { print, printJson } from './output.js';
import { forgetEnded } from './password-writing.js';

interface ReleaseOptions extends CommonOptions {
  readonly from?: string;
}

export function command(summary: string): Command {
  return makeEditCommand(
    'release',
    summary,
    'dorlin release /members/join /events/dinner\ndorlin release opening',
  )
    .usage('PLACE…|LOCK… [options]')
    .argument('<what...>', 'places, beginning with a slash, or names of locks to end')
    .option('--from <lock>', 'take the places out of this lock only')
    .action(release);
}

async function release(what: readonly string[], options: ReleaseOptions): Promise<void> {
  const places = what.filter((text) => text.startsWith('/'));
  const ended = what.filter((text) => !text.startsWith('/'));
  const edited = await editPolicyFile(options.policy, (editor) => {
    for (const name of [...ended, ...(options.from === undefined ? [] : [options.from])]) {
      if (editor.before.locks.has(name)) continue;
      throw new DorlinError('lock-unknown', `There is no lock \`${name}\`.`);
    }
    for (const name of ended) editor.removeLock(name);
    for (const text of places) releasePlace(editor, text, ended, options.from);
  });
  if (ended.length > 0) await forgetEnded(options.policy);
  const named = ended.flatMap((name) => placesOf(edited.before, name));
  const change = await changeBetween(options.policy, edited, [...places, ...named]);
  const stillShut = change.stillShut.filter(({ place }) => places.includes(place));
  if (options.json === true) {
    const { opened, closed, moved, groups, ways } = change;
    printJson({ places, ended, opened, closed, moved, groups, ways, stillShut });
    return;
  }
  printChange(change);
  for (const { place, locks } of stillShut) print(`${place} is ${shutBy(locks)}.`);
}

/**
 * Takes a place out of every lock that covers it, or of one: where it is listed, its line goes;
 * where it lies inside something that is listed, it becomes an exception.
 */
function releasePlace(
  editor: PolicyEditor,
  text: string,
  ended: readonly string[],
  from: string | undefined,
): void {
  const place = parsed(editor.before, text);
  const locks = [...editor.before.locks.values()].filter(
    ({ name }) => !ended.includes(name) && (from === undefined || name === from),
  );
  const covering = locks.filter((lock) => covers(editor.before, lock, place));
  if (covering.length === 0) {
    throw new DorlinError(
      'place-unlocked',
      `\`${text}\` is under no lock${from ? ` ${from}` : ''}.`,
    );
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
    if (!isListedOnly && !isExcepted) editor.addPlace(lock.name, 'except', text);
  }
}

/** Whether a lock has anything to do with a place: lists it, covers it, or covers part of it. */
function covers(policy: Policy, lock: Lock, place: Place): boolean {
  return lock.covers.some(
    (listed) =>
      isSamePlace(listed, place) || isInside(listed, place) || reaches(policy, lock, listed, place),
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
      .some(
        (spoken) =>
          spoken.lock.name === lock.name && spoken.place === listed && spoken.says === 'covers',
      ),
  );
}

function placesOf(policy: Policy, name: string): string[] {
  return (policy.locks.get(name)?.covers ?? []).map(({ text }) => text);
}
