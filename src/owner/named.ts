import { DorlinError } from '../core/errors.js';
import type { Bypass } from '../core/bypass/bypass.js';
import type { EntryLink, ImportedUser, LockPassword, Opener } from '../core/policy/openers.js';
import type { Lock, Policy } from '../core/policy/types.js';
import type { Screen } from '../core/screen/screen.js';

const named = (names: Iterable<string>, none = 'none yet') => [...names].join(', ') || none;

/** @throws DorlinError `lock-unknown` */
export function lockNamed(policy: Policy, name: string): Lock {
  const lock = policy.locks.get(name);
  if (lock !== undefined) return lock;
  const locks = named(policy.locks.keys());
  throw new DorlinError('lock-unknown', `There is no lock \`${name}\`. The locks are: ${locks}.`);
}

/** @throws DorlinError `bypass-unknown` */
export function bypassNamed(policy: Policy, name: string): Bypass {
  const bypass = policy.bypasses.get(name);
  if (bypass !== undefined) return bypass;
  const bypasses = named(policy.bypasses.keys());
  throw new DorlinError('bypass-unknown', `There is no bypass \`${name}\`. There are: ${bypasses}.`);
}

/** @throws DorlinError `screen-unknown` */
export function screenNamed(policy: Policy, name: string): Screen {
  const screen = policy.screens.get(name);
  if (screen !== undefined) return screen;
  const screens = named(policy.screens.keys());
  throw new DorlinError('screen-unknown', `There is no screen \`${name}\`. There are: ${screens}.`);
}

/** A lock's own passwords, and those of users from htpasswd files. */
export function passwordsOf({ passwords, importedUsers }: Lock): readonly (LockPassword | ImportedUser)[] {
  return [...passwords, ...importedUsers];
}

/**
 * A password of a lock by its id or label; the only one there is, where none is named.
 * @throws DorlinError `password-unknown`
 */
export function passwordNamed(lock: Lock, which: string | undefined): Opener {
  const passwords = passwordsOf(lock);
  const found = which === undefined ? passwords : passwords.filter(({ id, label }) => id === which || label === which);
  const [only, ...more] = found;
  if (only !== undefined && more.length === 0) return only;
  const all = named(
    passwords.map(({ id, label }) => `${id} (${label})`),
    'none',
  );
  const what =
    which === undefined
      ? `Say which password of ${lock.name} you mean: ${all}.`
      : `${lock.name} has no password \`${which}\`. It has: ${all}.`;
  throw new DorlinError('password-unknown', what);
}

/** @throws DorlinError `link-unknown` */
export function linkNamed(lock: Lock, which: string): EntryLink {
  const found = lock.links.find(({ id, label }) => id === which || label === which);
  if (found !== undefined) return found;
  const all = named(
    lock.links.map(({ id, label }) => `${id} (${label})`),
    'none',
  );
  throw new DorlinError('link-unknown', `${lock.name} has no link \`${which}\`. It has: ${all}.`);
}

/** `Password 1`, or the first number that is free. */
export function freeLabel(what: string, others: readonly { readonly label: string }[]): string {
  const taken = new Set(others.map(({ label }) => label));
  let number = 1;
  while (taken.has(`${what} ${number}`)) number++;
  return `${what} ${number}`;
}
