import { randomBytes } from 'node:crypto';
import { DorlinError } from '../../core/errors.js';
import { generateId } from '../../core/passwords/generate.js';
import { formatHtpasswd, parseHtpasswd, type HtpasswdUser } from '../../core/passwords/htpasswd.js';
import { bcryptHash, maxBcryptBytes } from '../../stores/htpasswd-hashes.js';
import { openKeys } from '../../stores/keeping.js';
import { editPolicyFile, loadPolicy } from '../../stores/policy-file.js';
import { recallPassword } from '../../stores/recall-file.js';
import { lockNamed, passwordsOf } from '../named.js';
import { forgetEnded, type Forgotten } from './recalled.js';

/** The users of an htpasswd file that a lock has taken. */
export interface UsersImported extends Forgotten {
  readonly lock: string;
  readonly users: readonly string[];
  /** Those of them that were there already. */
  readonly replaced: readonly string[];
  /** How the lock takes HTTP Basic now. */
  readonly basic: boolean | 'always';
  /** Whether it took none before. */
  readonly basicIsNew: boolean;
}

/**
 * Takes the users of an htpasswd file into a lock: all of them, or none.
 *
 * @param text - of the file
 * @param where - what to call a line of it: `.htpasswd:`, `line `
 * @throws DorlinError `htpasswd-invalid`, `lock-unknown`, and those of an edit
 */
export async function importUsers(
  policyFile: string,
  name: string,
  text: string,
  where: string,
  { replace = false, always = false }: { readonly replace?: boolean; readonly always?: boolean } = {},
): Promise<UsersImported> {
  const users = usersIn(text, where);
  const replaced: string[] = [];
  const { before, after } = await editPolicyFile(policyFile, (editor) => {
    const lock = lockNamed(editor.before, name);
    const there = new Map(passwordsOf(lock).map((one) => [one.label, one]));
    const taken = users.filter(({ user }) => there.has(user));
    if (taken.length > 0 && !replace) {
      const names = taken.map(({ user }) => user).join(', ');
      throw new DorlinError('htpasswd-invalid', `${name} has passwords for ${names} already.`, {
        mend: 'Add --replace to put those of the file in their place. Nothing was taken.',
      });
    }
    const ids = new Set(lock.openers.keys());
    for (const { user, hash } of users) {
      const old = there.get(user);
      const id = generateId(randomBytes, ids);
      ids.add(id);
      if (old === undefined) editor.addPassword(name, { id, label: user, hash });
      else {
        editor.replacePassword(name, old.id, { id, hash });
        replaced.push(user);
      }
    }
    if (always || lock.basic === false) {
      editor.set(['locks', name, 'basic'], always ? 'always' : true);
    }
  });
  const forgotten = await forgetEnded(policyFile);
  return {
    lock: name,
    users: users.map(({ user }) => user),
    replaced,
    basic: lockNamed(after, name).basic,
    basicIsNew: lockNamed(before, name).basic === false,
    ...forgotten,
  };
}

/** @throws DorlinError `htpasswd-invalid` */
function usersIn(text: string, where: string): readonly HtpasswdUser[] {
  const { users, problems } = parseHtpasswd(text);
  if (problems.length > 0) {
    const lines = problems.map(({ line, message }) => `${where}${line}  ${message}`);
    throw new DorlinError('htpasswd-invalid', lines.join('\n'));
  }
  if (users.length > 0) return users;
  throw new DorlinError('htpasswd-invalid', 'There is no user in it.', { mend: '' });
}

/** A lock's passwords as an htpasswd file. */
export interface UsersExported {
  readonly lock: string;
  readonly users: readonly string[];
  /** What could not be exported, and why. */
  readonly left: readonly { readonly user: string; readonly why: string }[];
  /** The text of the file, with bcrypt. */
  readonly text: string;
}

/**
 * Makes an htpasswd file of a lock's passwords, with bcrypt.
 *
 * @param skip - whether to leave out what cannot be exported
 * @throws DorlinError `password-not-recallable`, `lock-unknown`
 */
export async function exportUsers(policyFile: string, name: string, skip = false): Promise<UsersExported> {
  const lock = lockNamed(await loadPolicy(policyFile), name);
  const keys = await openKeys(policyFile);
  const users: HtpasswdUser[] = [];
  const left: { readonly user: string; readonly why: string }[] = [];
  for (const { id, label: user } of lock.passwords) {
    const password = await recallPassword(policyFile, name, id, keys).catch(() => undefined);
    const why = whyNot(user, password);
    if (why !== undefined) left.push({ user, why });
    else users.push({ user, hash: await bcryptHash(password ?? '') });
  }
  for (const { label, importedHash } of lock.importedUsers) {
    users.push({ user: label, hash: importedHash });
  }
  if (left.length > 0 && !skip) {
    const lines = left.map(({ user, why }) => `${user}: ${why}`);
    throw new DorlinError('password-not-recallable', lines.join('\n'), {
      mend: 'Rotate those, or add --skip to leave them out. Nothing was written.',
    });
  }
  return { lock: name, users: users.map(({ user }) => user), left, text: formatHtpasswd(users) };
}

/** Why a password cannot stand in an htpasswd file, if it cannot. */
function whyNot(user: string, password: string | undefined): string | undefined {
  if (password === undefined) return 'only its hash is here, which no other program can check';
  if (user.includes(':')) return 'a user name cannot have a colon';
  if (Buffer.byteLength(password) > maxBcryptBytes)
    return `bcrypt looks at the first ${maxBcryptBytes} bytes of a password alone`;
  return undefined;
}
