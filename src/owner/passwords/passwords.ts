import type { Lock, Policy } from '../../core/policy/types.js';
import type { Opener } from '../../core/policy/openers.js';
import { readSpan, readWhen } from '../../core/windows/when.js';
import { formatMoment, momentText } from '../../core/windows/moment.js';
import { isWithin } from '../../core/windows/window.js';
import { openKeys } from '../../stores/keeping.js';
import { editPolicyFile, loadPolicy } from '../../stores/policy-file.js';
import { recallPassword } from '../../stores/recall-file.js';
import { freeLabel, lockNamed, passwordNamed, passwordsOf } from '../named.js';
import { choosePassword, siteWordsOf, type ChosenPassword, type NewPassword } from './new-password.js';
import { forgetEnded, type Forgotten } from './recalled.js';
import { writePasswords } from './write-password.js';

/** What is said of a new password besides itself. */
export interface PasswordOrder {
  readonly password: NewPassword;
  /** Whom it is for; only the owner sees it. */
  readonly label?: string | undefined;
  /** When it begins to count: a moment, or a span from now. */
  readonly from?: string | undefined;
  /** When it ends by itself: a moment, or a span from now. */
  readonly until?: string | undefined;
}

/** A password that was added. */
export interface PasswordAdded extends ChosenPassword {
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  readonly from?: string | undefined;
  readonly until?: string | undefined;
}

/**
 * Gives a lock one more password.
 * @throws DorlinError `lock-unknown`, `label-taken`, `password-duplicate`, `time-invalid`, `time-past`,
 * those of {@link choosePassword} and of an edit
 */
export async function addPassword(
  policyFile: string,
  name: string,
  { password, label: wanted, from, until }: PasswordOrder,
): Promise<PasswordAdded> {
  const policy = await loadPolicy(policyFile);
  const lock = lockNamed(policy, name);
  const label = wanted ?? freeLabel('Password', passwordsOf(lock));
  const window = windowTexts(policy, { from, until });
  const chosen = await choosePassword(password, siteWordsOf(policy, name, label));
  const draft = { password: chosen.password, label, ...window };
  const { ids } = await writePasswords(policyFile, name, [draft]);
  return { lock: name, id: ids[0] ?? '', label, ...window, ...chosen };
}

/** The window of something that opens, as it is written. @throws DorlinError `time-invalid`, `time-past` */
export function windowTexts(
  { site }: Policy,
  { from, until }: { readonly from?: string | undefined; readonly until?: string | undefined },
): { from?: string; until?: string } {
  const common = { zone: site.timeZone, now: Date.now() / 1000 };
  const past = 'it would open nothing';
  return {
    ...(from !== undefined && { from: readWhen(from, { name: '--from', pick: 'later', ...common }).text }),
    ...(until !== undefined && { until: readWhen(until, { name: '--until', past, ...common }).text }),
  };
}

/** A password that took another's place. */
export interface PasswordRotated extends PasswordAdded, Forgotten {
  /** The one before it, and when that ends; left out, it has ended. */
  readonly replaced: {
    readonly id: string;
    readonly label: string;
    readonly until?: string | undefined;
  };
}

/**
 * Puts a new password in an old one's place, at once or at the end of an overlap.
 *
 * @param overlap - how long the old one goes on counting, such as `14 days`
 * @throws DorlinError `password-unknown`, and those of {@link addPassword}
 */
export async function rotatePassword(
  policyFile: string,
  name: string,
  which: string | undefined,
  {
    password,
    label: wanted,
    overlap,
  }: Pick<PasswordOrder, 'password' | 'label'> & { readonly overlap?: string | undefined },
): Promise<PasswordRotated> {
  const policy = await loadPolicy(policyFile);
  const old = passwordNamed(lockNamed(policy, name), which);
  const label = wanted ?? old.label;
  const seconds = overlap === undefined ? 0 : readSpan(overlap, '--overlap');
  const chosen = await choosePassword(password, siteWordsOf(policy, name, label));
  const ends = formatMoment(Date.now() / 1000 + seconds, policy.site.timeZone);
  const until = seconds > 0 ? ends : undefined;
  const replaces = until === undefined ? { id: old.id } : { id: old.id, label: old.label, until };
  const draft = { password: chosen.password, label };
  const { ids } = await writePasswords(policyFile, name, [draft], replaces);
  const replaced = { id: old.id, label: old.label, until };
  const forgotten = await forgetEnded(policyFile);
  return { lock: name, id: ids[0] ?? '', label, ...chosen, replaced, ...forgotten };
}

/** A password that was ended. */
export interface PasswordRetired extends Forgotten {
  readonly lock: string;
  readonly id: string;
  readonly label: string;
  /** How many the lock still has. */
  readonly passwordsLeft: number;
  /** The screens that gave it to whoever asked: their requests now say that nothing can be sent. */
  readonly givenBy: readonly string[];
}

/**
 * Ends a password, and with it every pass it gave.
 * @throws DorlinError `lock-unknown`, `password-unknown`, and those of an edit
 */
export async function retirePassword(policyFile: string, name: string, which: string): Promise<PasswordRetired> {
  const { before, after } = await editPolicyFile(policyFile, (editor) => {
    editor.removePassword(name, passwordNamed(lockNamed(editor.before, name), which).id);
  });
  const forgotten = await forgetEnded(policyFile);
  const lock = lockNamed(before, name);
  const { id, label } = passwordNamed(lock, which);
  const passwordsLeft = passwordsOf(lockNamed(after, name)).length;
  return { lock: name, id, label, passwordsLeft, givenBy: giversOf(lock, id), ...forgotten };
}

/** The screens whose request gives this opener of a lock. */
export function giversOf({ request, screen }: Lock, id: string): string[] {
  return request !== undefined && request.gives !== 'nothing' && request.opener?.id === id ? [screen.name] : [];
}

/** What may be changed of a password without changing it; `null` takes a time away. */
export interface PasswordChange {
  readonly label?: string | undefined;
  readonly from?: string | null | undefined;
  readonly until?: string | null | undefined;
}

/**
 * Changes whom a password is for, and when it counts.
 * @throws DorlinError `lock-unknown`, `password-unknown`, `time-invalid`, `time-past`, and those of an edit
 */
export async function changePassword(
  policyFile: string,
  name: string,
  which: string,
  { label, from, until }: PasswordChange,
): Promise<PasswordChanged> {
  const { after } = await editPolicyFile(policyFile, (editor) => {
    const { id } = passwordNamed(lockNamed(editor.before, name), which);
    const texts = windowTexts(editor.before, {
      from: from ?? undefined,
      until: until ?? undefined,
    });
    editor.replacePassword(name, id, {
      ...(label !== undefined && { label }),
      ...(from !== undefined && { from: texts.from }),
      ...(until !== undefined && { until: texts.until }),
    });
  });
  const found = passwordNamed(lockNamed(after, name), label ?? which);
  return { lock: name, ...(await listed(policyFile, after, name, found)) };
}

/** A password after something about it was changed. */
export interface PasswordChanged extends PasswordListed {
  readonly lock: string;
}

/** A password as it is listed, without itself. */
export interface PasswordListed {
  readonly id: string;
  readonly label: string;
  /** Whether it came from an htpasswd file, and so counts for HTTP Basic alone. */
  readonly imported: boolean;
  readonly from?: string | undefined;
  readonly until?: string | undefined;
  /** Whether it opens now. */
  readonly counts: boolean;
  /** Whether it can be looked up here. */
  readonly canBeShown: boolean;
}

/** The passwords of one lock or of all. */
export interface PasswordList {
  readonly locks: readonly {
    readonly lock: string;
    readonly passwords: readonly PasswordListed[];
  }[];
}

/** @throws DorlinError `lock-unknown` */
export async function listPasswords(policyFile: string, name?: string): Promise<PasswordList> {
  const policy = await loadPolicy(policyFile);
  const locks = name === undefined ? [...policy.locks.values()] : [lockNamed(policy, name)];
  return {
    locks: await Promise.all(
      locks.map(async (lock) => ({
        lock: lock.name,
        passwords: await Promise.all(passwordsOf(lock).map((one) => listed(policyFile, policy, lock.name, one))),
      })),
    ),
  };
}

async function listed(policyFile: string, { site }: Policy, lock: string, opener: Opener): Promise<PasswordListed> {
  const moment = (at: number | undefined) => (at === undefined ? undefined : momentText(at, site.timeZone));
  const { id, label, window } = opener;
  const canBeShown = await openKeys(policyFile)
    .then((keys) => recallPassword(policyFile, lock, id, keys))
    .then(
      () => true,
      () => false,
    );
  return {
    id,
    label,
    imported: 'importedHash' in opener,
    from: moment(window.from),
    until: moment(window.until),
    counts: isWithin(window, Date.now() / 1000),
    canBeShown,
  };
}
