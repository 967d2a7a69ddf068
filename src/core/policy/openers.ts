import { parsePhc, type PasswordHash } from '../passwords/phc.js';
import { sharesSalt } from '../passwords/shared-salt.js';
import { readWindow, type Window } from '../windows/window.js';
import type { PolicyProblem } from './problem.js';
import type { LockDocument, SiteDocument } from './document.js';

/** What gives passes to a lock: a password, an imported user or an entry link. */
export interface Opener {
  readonly id: string;
  /** Whom it is for. */
  readonly label: string;
  readonly window: Window;
  /** Changes when the password does; a pass carries it so that it dies with the password. */
  readonly mark: string;
}

/** A password of a lock, ready to be compared. */
export interface LockPassword extends Opener {
  readonly parsedHash: PasswordHash;
}

/** A user of HTTP Basic from an htpasswd file; the label is the user name. */
export interface ImportedUser extends Opener {
  /** A bcrypt or apr1 hash. */
  readonly importedHash: string;
}

/** An entry link of a lock. */
export interface EntryLink extends Opener {
  readonly to: string | undefined;
  readonly uses: number | undefined;
}

/** Reads a window, and notes what is wrong with it. */
export function windowOf(
  written: Parameters<typeof readWindow>[0],
  { timeZone }: SiteDocument,
  purpose: 'shuts' | 'opens',
  path: PolicyProblem['path'],
  problems: PolicyProblem[],
): Window {
  const window = readWindow(written, timeZone, purpose);
  if (!('problem' in window)) return window;
  problems.push({ path: [...path, window.key], message: window.problem });
  return {};
}

/** All that opens a lock. */
export interface Openers {
  readonly passwords: readonly LockPassword[];
  readonly importedUsers: readonly ImportedUser[];
  readonly links: readonly EntryLink[];
  /** All that passes can come from, by id. */
  readonly openers: ReadonlyMap<string, Opener>;
}

/** Everything that opens a lock; ids are unique among all, labels and hashes among passwords. */
export function compileOpeners(
  lock: LockDocument,
  site: SiteDocument,
  at: readonly string[],
  problems: PolicyProblem[],
): Openers {
  const passwords: LockPassword[] = [];
  const importedUsers: ImportedUser[] = [];
  const isUnique = uniqueness(problems);
  lock.passwords.forEach((written, position) => {
    const path = (key: string) => [...at, 'passwords', position, key];
    isUnique('id', written.id, path('id'));
    isUnique('label', written.label, path('label'));
    isUnique('hash', written.hash, path('hash'));
    if (lock.basic !== false && written.label.includes(':')) {
      const message = 'a user name of HTTP Basic cannot have a colon (RFC 7617 section 2)';
      problems.push({ path: path('label'), message });
    }
    const { id, label, hash } = written;
    const window = windowOf(written, site, 'opens', [...at, 'passwords', position], problems);
    // 36 bits of the hash: enough to tell a change, and of no use without the salt.
    const opener = { id, label, window, mark: hash.slice(-6) };
    const parsedHash = parsePhc(hash);
    if (parsedHash === undefined) {
      importedUsers.push({ ...opener, importedHash: hash });
      if (lock.basic === false) {
        const message = 'a hash from an htpasswd file counts for HTTP Basic alone: write `basic: true`';
        problems.push({ path: path('hash'), message });
      }
      return;
    }
    const first = passwords[0]?.parsedHash;
    if (first !== undefined && !sharesSalt(first, parsedHash)) {
      problems.push({
        path: path('hash'),
        message:
          'it has another salt or cost than the first of this lock: ' +
          'all must share one, so run `dorlin password rotate` for it',
      });
    }
    passwords.push({ ...opener, parsedHash });
  });
  const links = lock.links.map((written, position): EntryLink => {
    const path = [...at, 'links', position];
    isUnique('id', written.id, [...path, 'id']);
    isUnique('link', written.label, [...path, 'label']);
    const window = windowOf(written, site, 'opens', path, problems);
    const { id, label, to, uses } = written;
    return { id, label, to, uses, window, mark: 'link' };
  });
  const all: Opener[] = [...passwords, ...importedUsers, ...links];
  return {
    passwords,
    importedUsers,
    links,
    openers: new Map(all.map((opener) => [opener.id, opener])),
  };
}

/** Tells what is written twice. */
function uniqueness(problems: PolicyProblem[]) {
  const seen = new Set<string>();
  return (what: 'id' | 'label' | 'hash' | 'link', value: string, path: PolicyProblem['path']) => {
    const key = `${what} ${value}`;
    if (seen.has(key)) {
      const message =
        what === 'hash'
          ? 'two passwords of this lock are the same: give each its own, or retire one'
          : `the ${what === 'link' ? 'label' : what} \`${value}\` is used twice in this lock`;
      problems.push({ path, message });
    }
    seen.add(key);
  };
}
