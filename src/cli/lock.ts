import type { Command } from 'commander';
import { DorlinError } from '../core/errors.js';
import type { Policy } from '../core/policy/types.js';
import type { Place } from '../core/places/place.js';
import { editPolicyFile } from '../stores/policy-file.js';
import { changeBetween, printChange } from './change.js';
import { makeEditCommand, type CommonOptions } from './command.js';
import { print, printJson } from './output.js';
import { withoutPassword } from './site-log.js';

export function command(summary: string): Command {
  return makeEditCommand('lock', summary, 'dorlin lock members /members/ /events/dinner')
    .usage('NAME PLACE… [options]')
    .argument('<name>', 'the lock; it is made if there is none of that name')
    .argument('<places...>', 'pages (/about), folders (/press/), the whole site (/), or patterns')
    .action(lockPlaces);
}

async function lockPlaces(
  name: string,
  places: readonly string[],
  options: CommonOptions,
): Promise<void> {
  if (!/^[a-z][a-z0-9_-]{0,63}$/.test(name)) {
    throw new DorlinError('lock-name', `\`${name}\` cannot be the name of a lock.`);
  }
  const edited = await editPolicyFile(options.policy, (editor) => {
    const wanted = places.map((text) => parsed(editor.before, text));
    if (!editor.before.locks.has(name)) editor.addLock(name);
    const lock = editor.before.locks.get(name);
    const added = new Set<string>();
    for (const place of wanted) {
      const except = lock?.except.find((other) => isSamePlace(other, place));
      if (except !== undefined) editor.removePlace(name, 'except', except.text);
      const isThere = lock?.covers.some((other) => isSamePlace(other, place)) === true;
      if (!isThere && !added.has(place.text)) editor.addPlace(name, 'covers', place.text);
      added.add(place.text);
    }
  });
  const change = await changeBetween(options.policy, edited, places);
  const lock = edited.after.locks.get(name);
  const passwords = lock?.passwords.length ?? 0;
  if (options.json === true) {
    const { opened, closed, moved, groups, ways } = change;
    printJson({
      lock: name,
      places,
      opened,
      closed,
      moved,
      groups,
      ways,
      passwords,
      enabled: lock?.enabled,
    });
    return;
  }
  printChange(change);
  if (lock?.enabled === false) print(`The lock ${name} is switched off, so it shuts nothing yet.`);
  if (lock !== undefined && passwords === 0) {
    print(`${withoutPassword(lock)} To give it one: dorlin password add ${name}`);
  }
}

/** @throws DorlinError `place-invalid` */
export function parsed(policy: Policy, text: string): Place {
  const result = policy.parsePlace(text);
  if (result.ok) return result.place;
  throw new DorlinError('place-invalid', `\`${text}\`: ${result.problem}.`);
}

/** Whether two places are the same, however each is spelled. */
export function isSamePlace(one: Place, other: Place): boolean {
  if (one.kind !== other.kind) return false;
  if (one.kind === 'section' && other.kind === 'section' && one.id !== other.id) return false;
  return 'path' in one && 'path' in other ? one.path === other.path : one.text === other.text;
}
