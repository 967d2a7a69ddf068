import { randomBytes } from 'node:crypto';
import { DorlinError } from '../../core/errors.js';
import { generateId } from '../../core/passwords/generate.js';
import { formatPhc } from '../../core/passwords/phc.js';
import { equalBytes, hashPassword, matchPassword } from '../../core/passwords/shared-salt.js';
import type { PolicyEditor } from '../../core/policy/editor.js';
import type { LockPassword } from '../../core/policy/openers.js';
import { nativeHasher } from '../../stores/hasher.js';
import { openKeys } from '../../stores/keeping.js';
import { editPolicyFile, loadPolicy } from '../../stores/policy-file.js';
import { rememberPasswords } from '../../stores/recall-file.js';
import type { Edited } from '../change.js';
import { lockNamed, passwordsOf } from '../named.js';

/** A password that is to be written, and about it what the policy says. */
export interface PasswordDraft {
  readonly password: string;
  readonly label: string;
  readonly from?: string;
  readonly until?: string;
}

/** The password that is replaced: at once, or at the end of an overlap. */
export type ReplacedPassword =
  | { readonly id: string; readonly until?: undefined }
  | { readonly id: string; readonly label: string; readonly until: string };

/**
 * Hashes passwords and writes them into the policy, the one of them in the place of another where
 * `replaces` says so; the text of them goes to the recall file.
 *
 * @returns their ids, in their order
 * @throws DorlinError `password-duplicate`, `label-taken`, `policy-changed`
 */
export async function writePasswords(
  policyFile: string,
  name: string,
  drafts: readonly PasswordDraft[],
  replaces?: ReplacedPassword,
): Promise<Edited & { readonly ids: readonly string[] }> {
  const policy = await loadPolicy(policyFile);
  const lock = lockNamed(policy, name);
  const isKept = ({ id }: { readonly id: string }) => id !== replaces?.id || replaces.until !== undefined;
  const labels = new Set(
    passwordsOf(lock)
      .filter(isKept)
      .map(({ label }) => label),
  );
  for (const { label } of drafts) {
    // The one that is replaced with an overlap gives its label away.
    const isGiven = replaces?.until !== undefined && replaces.label === label;
    if (labels.has(label) && !isGiven) {
      throw new DorlinError('label-taken', `${name} has a password for ${label} already.`);
    }
    labels.add(label);
  }
  const hashes = lock.passwords.filter(isKept).map(({ parsedHash }) => formatPhc(parsedHash));
  const ids = new Set(lock.openers.keys());
  const entries: { id: string; label: string; hash: string; from?: string; until?: string }[] = [];
  let salt: Uint8Array | undefined;
  for (const { password, ...about } of drafts) {
    const made = await hashPassword(password, hashes, nativeHasher, randomBytes, policy.site.hash);
    const hash = formatPhc(made);
    salt = made.salt;
    await refuseTwin(password, hash, salt, lock.passwords, replaces);
    // All of one lock share a salt, so the same password has the same hash.
    if (hashes.includes(hash)) throw twin('another of these');
    hashes.push(hash);
    const id = generateId(randomBytes, ids);
    ids.add(id);
    entries.push({ id, ...about, hash });
  }
  const edit = (editor: PolicyEditor) => {
    // Hashing took a moment: the salt must still be the one the lock's other passwords have.
    const now = lockNamed(editor.before, name).passwords.filter(isKept);
    if (now.some(({ parsedHash }) => salt === undefined || !equalBytes(parsedHash.salt, salt))) {
      throw new DorlinError('policy-changed', `The passwords of ${name} were changed meanwhile.`);
    }
    const [first] = entries;
    if (replaces?.until !== undefined) {
      // The new one takes over the label; two cannot have the same.
      const label = replaces.label === first?.label ? `${replaces.label}, old` : replaces.label;
      editor.replacePassword(name, replaces.id, { label, until: replaces.until });
    }
    for (const entry of entries) {
      if (replaces === undefined || replaces.until !== undefined) editor.addPassword(name, entry);
      else editor.replacePassword(name, replaces.id, entry);
    }
  };
  const keys = await openKeys(policyFile);
  const texts = entries.map(({ id }, at) => ({ id, password: drafts[at]?.password ?? '' }));
  // Remembered first, but in the same turn: another command that forgets what the policy does not
  // have must not come between.
  const edited = await editPolicyFile(policyFile, edit, () => rememberPasswords(policyFile, name, texts, keys));
  return { ...edited, ids: entries.map(({ id }) => id) };
}

/** Refuses a password that the lock has already. */
async function refuseTwin(
  password: string,
  hash: string,
  salt: Uint8Array,
  others: readonly LockPassword[],
  replaces: ReplacedPassword | undefined,
): Promise<void> {
  const [first] = others;
  // With another salt than theirs, it has to be tried.
  const found =
    first !== undefined && equalBytes(first.parsedHash.salt, salt)
      ? others.find(({ parsedHash }) => formatPhc(parsedHash) === hash)
      : await matchPassword(password, others, nativeHasher);
  if (found === undefined) return;
  throw twin(found.id === replaces?.id ? 'the one it is to replace' : `the one of ${found.label}`);
}

const twin = (which: string) => new DorlinError('password-duplicate', `This is the same password as ${which}.`);
