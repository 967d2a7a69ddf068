import { policiesOf } from '../stores/draft.js';
import { randomBytes } from 'node:crypto';
import { DorlinError } from '../core/errors.js';
import type { Lock, Policy } from '../core/policy/types.js';
import type { ImportedUser, LockPassword, Opener } from '../core/policy/openers.js';
import { generateId } from '../core/passwords/generate.js';
import { formatPhc } from '../core/passwords/phc.js';
import { hashPassword, matchPassword, equalBytes } from '../core/passwords/shared-salt.js';
import type { PolicyEditor } from '../core/policy/edit.js';
import { nativeHasher } from '../stores/hasher.js';
import { openKeys, whileAlone } from '../stores/keeping.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { forgetPasswords, rememberPassword } from '../stores/recall-file.js';
import type { CommonOptions } from './command.js';
import { printError } from './output.js';

/**
 * Hashes a password and writes it into the policy, in the place of another where `replaces` says
 * so; the text of it goes to the recall file.
 */
export async function writePassword(
  name: string,
  password: string,
  about: { readonly label: string; readonly from?: string; readonly until?: string },
  options: CommonOptions,
  replaces?: Replaced,
): Promise<string> {
  const lock = lockNamed(await loadPolicy(options.policy), name);
  const others = lock.passwords.filter(
    ({ id }) => id !== replaces?.id || replaces.until !== undefined,
  );
  const twin = await matchPassword(password, lock.passwords, nativeHasher);
  if (twin !== undefined) {
    const why = twin.id === replaces?.id ? 'the one it is to replace' : `the one of ${twin.label}`;
    throw new DorlinError('password-duplicate', `This is the same password as ${why}.`);
  }
  const hash = await hashPassword(
    password,
    others.map(({ parsedHash }) => formatPhc(parsedHash)),
    nativeHasher,
    randomBytes,
  );
  const id = generateId(randomBytes, new Set(lock.openers.keys()));
  const entry = { id, ...about, hash: formatPhc(hash) };
  const keys = await openKeys(options.policy);
  const edit = (editor: PolicyEditor) => {
    // Hashing took a moment: the salt must still be the one the lock's other passwords have.
    const now = lockNamed(editor.before, name).passwords.filter(
      (other) => other.id !== replaces?.id || replaces.until !== undefined,
    );
    if (now.some((other) => !equalBytes(other.parsedHash.salt, hash.salt))) {
      throw new DorlinError('policy-changed', `The passwords of ${name} were changed meanwhile.`);
    }
    if (replaces?.until !== undefined) {
      // The new one takes over the label; two cannot have the same.
      const label = replaces.label === about.label ? `${replaces.label}, old` : replaces.label;
      editor.replacePassword(name, replaces.id, { label, until: replaces.until });
    }
    if (replaces === undefined || replaces.until !== undefined) editor.addPassword(name, entry);
    else editor.replacePassword(name, replaces.id, entry);
  };
  // Remembered first, but in the same turn: another command that forgets what the policy does not
  // have must not come between.
  await editPolicyFile(options.policy, edit, () =>
    rememberPassword(options.policy, name, id, password, keys),
  );
  if (replaces !== undefined) await forgetEnded(options.policy);
  return id;
}

/**
 * Forgets the text of passwords that neither the policy nor its draft has. By then the edit counts, so
 * where that text cannot be forgotten it is told, and no error.
 */
export async function forgetEnded(policyFile: string): Promise<void> {
  const forget = async () => {
    const policies = await policiesOf(policyFile);
    await forgetPasswords(policyFile, (lock, id) =>
      policies.some(({ locks }) => locks.get(lock)?.passwords.some((one) => one.id === id)),
    );
  };
  await whileAlone(policyFile, forget).catch((error: unknown) => {
    const why = error instanceof Error ? error.message : 'unknown';
    printError(`The policy is changed, but the text of what ended was not forgotten.\n${why}`);
  });
}

/** The password that is replaced: at once, or at the end of an overlap. */
export type Replaced =
  | { readonly id: string; readonly until?: undefined }
  | { readonly id: string; readonly label: string; readonly until: string };

/** @throws DorlinError `lock-unknown` */
export function lockNamed(policy: Policy, name: string): Lock {
  const lock = policy.locks.get(name);
  if (lock !== undefined) return lock;
  const names = [...policy.locks.keys()].join(', ') || 'none yet';
  throw new DorlinError('lock-unknown', `There is no lock \`${name}\`. The locks are: ${names}.`);
}

/** A lock's own passwords, and those of users from htpasswd files. */
export function passwordsOf({
  passwords,
  importedUsers,
}: Lock): readonly (LockPassword | ImportedUser)[] {
  return [...passwords, ...importedUsers];
}

/** @throws DorlinError `password-unknown` */
export function passwordNamed(lock: Lock, which: string | undefined): Opener {
  const passwords = passwordsOf(lock);
  const found =
    which === undefined
      ? passwords
      : passwords.filter(({ id, label }) => id === which || label === which);
  const [only, ...more] = found;
  if (only !== undefined && more.length === 0) return only;
  const all = passwords.map(({ id, label }) => `${id} (${label})`).join(', ') || 'none';
  const what =
    which === undefined
      ? `Say which password of ${lock.name} you mean: ${all}.`
      : `${lock.name} has no password \`${which}\`. It has: ${all}.`;
  throw new DorlinError('password-unknown', what);
}

/** `Password 1`, or the first number that is free. */
export function freeLabel(what: string, others: readonly { readonly label: string }[]): string {
  const taken = new Set(others.map(({ label }) => label));
  let number = 1;
  while (taken.has(`${what} ${number}`)) number++;
  return `${what} ${number}`;
}
