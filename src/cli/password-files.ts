import { randomBytes } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import writeFileAtomic from 'write-file-atomic';
import { DorlinError } from '../core/errors.js';
import { generateId } from '../core/passwords/generate.js';
import { formatHtpasswd, parseHtpasswd, type HtpasswdUser } from '../core/passwords/htpasswd.js';
import { bcryptHash, maxBcryptBytes } from '../stores/htpasswd-hashes.js';
import { openKeys } from '../stores/keeping.js';
import { editPolicyFile, loadPolicy } from '../stores/policy-file.js';
import { recallPassword } from '../stores/recall-file.js';
import type { CommonOptions } from './command.js';
import { mustBeFree } from './handing-out.js';
import { counted, listed, paint, print, printError, printJson } from './output.js';
import { readStandardInput } from './password-input.js';
import { forgetEnded, lockNamed } from './password-writing.js';

export interface ImportOptions extends CommonOptions {
  readonly replace?: boolean;
  readonly always?: boolean;
}

/** Takes the users of an htpasswd file into a lock: all of them, or none. */
export async function importUsers(
  name: string,
  file: string,
  options: ImportOptions,
): Promise<void> {
  const text = file === '-' ? await readStandardInput() : await readHtpasswd(file);
  const users = usersIn(text, file);
  const replaced: string[] = [];
  const { before } = await editPolicyFile(options.policy, (editor) => {
    const lock = lockNamed(editor.before, name);
    const there = new Map(
      [...lock.passwords, ...lock.importedUsers].map((one) => [one.label, one]),
    );
    const taken = users.filter(({ user }) => there.has(user));
    if (taken.length > 0 && options.replace !== true) {
      const names = listed(taken.map(({ user }) => user));
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
    if (options.always === true) editor.setBasic(name, 'always');
    else if (lock.basic === false) editor.setBasic(name, true);
  });
  await forgetEnded(options.policy);
  const names = users.map(({ user }) => user);
  if (options.json === true) {
    printJson({ lock: name, users: names, replaced });
    return;
  }
  print(`${counted(users.length, 'user')} may enter ${name} by HTTP Basic: ${listed(names)}.`);
  if (lockNamed(before, name).basic === false) print('The lock now takes HTTP Basic.');
  print(`To end one: dorlin password retire ${name} ${names[0] ?? 'USER'}`);
}

async function readHtpasswd(file: string): Promise<string> {
  try {
    return await readFile(file, 'utf8');
  } catch (cause) {
    throw new DorlinError('htpasswd-invalid', `${file} cannot be read.`, { cause, mend: '' });
  }
}

/** @throws DorlinError `htpasswd-invalid` */
function usersIn(text: string, file: string): readonly HtpasswdUser[] {
  const { users, problems } = parseHtpasswd(text);
  const where = file === '-' ? 'line ' : `${file}:`;
  if (problems.length > 0) {
    const lines = problems.map(({ line, message }) => `${where}${line}  ${message}`);
    throw new DorlinError('htpasswd-invalid', lines.join('\n'));
  }
  if (users.length > 0) return users;
  throw new DorlinError('htpasswd-invalid', 'There is no user in it.', { mend: '' });
}

export interface ExportOptions extends CommonOptions {
  readonly out?: string;
  readonly skip?: boolean;
}

/** Writes a lock's passwords as an htpasswd file, with bcrypt. */
export async function exportUsers(name: string, options: ExportOptions): Promise<void> {
  if (options.out !== undefined) await mustBeFree(options.out);
  const lock = lockNamed(await loadPolicy(options.policy), name);
  const keys = await openKeys(options.policy);
  const users: HtpasswdUser[] = [];
  const left: { readonly user: string; readonly why: string }[] = [];
  for (const { id, label: user } of lock.passwords) {
    const password = await recallPassword(options.policy, name, id, keys).catch(() => undefined);
    const why = whyNot(user, password);
    if (why !== undefined) left.push({ user, why });
    else users.push({ user, hash: await bcryptHash(password ?? '') });
  }
  for (const { label, importedHash } of lock.importedUsers) {
    users.push({ user: label, hash: importedHash });
  }
  if (left.length > 0 && options.skip !== true) {
    const lines = left.map(({ user, why }) => `${user}: ${why}`);
    throw new DorlinError('password-not-recallable', lines.join('\n'), {
      mend: 'Rotate those, or add --skip to leave them out. Nothing was written.',
    });
  }
  const text = formatHtpasswd(users);
  if (options.out !== undefined) await writeFileAtomic(options.out, text, { mode: 0o600 });
  if (options.json === true) {
    printJson({ lock: name, users: users.map(({ user }) => user), left, file: options.out, text });
    return;
  }
  // To standard output goes the file alone, so that it can be sent on.
  if (options.out === undefined) process.stdout.write(text);
  else print(`Wrote ${counted(users.length, 'user')} of ${paint.bold(name)} to ${options.out}.`);
  for (const { user, why } of left) printError(`left out ${user}: ${why}`);
}

/** Why a password cannot stand in an htpasswd file, if it cannot. */
function whyNot(user: string, password: string | undefined): string | undefined {
  if (password === undefined) return 'only its hash is here, which no other program can check';
  if (user.includes(':')) return 'a user name cannot have a colon';
  if (Buffer.byteLength(password) > maxBcryptBytes)
    return `bcrypt looks at the first ${maxBcryptBytes} bytes of a password alone`;
  return undefined;
}
