/** A user of an htpasswd file. */
export interface HtpasswdUser {
  readonly user: string;
  readonly hash: string;
}

/** A line of an htpasswd file that cannot be taken. */
export interface HtpasswdProblem {
  /** Counted from 1. */
  readonly line: number;
  readonly message: string;
}

// Beyond 2^14 rounds one guess would take a second and more.
const bcrypt = /^\$2[aby]\$(?:0[4-9]|1[0-4])\$[./A-Za-z0-9]{53}$/;
const apr1 = /^\$apr1\$[./A-Za-z0-9]{1,8}\$[./A-Za-z0-9]{22}$/;

/** Whether a hash is of a kind that is taken from htpasswd files: bcrypt, or apr1 (MD5). */
export function isImportedHash(text: string): boolean {
  return bcrypt.test(text) || apr1.test(text);
}

/** Whether a hash is bcrypt. */
export function isBcrypt(text: string): boolean {
  return bcrypt.test(text);
}

/**
 * Reads an htpasswd file: `user:hash` a line, `#` for comments. Every line that cannot be taken is
 * named; the caller then takes none.
 */
export function parseHtpasswd(text: string): {
  readonly users: readonly HtpasswdUser[];
  readonly problems: readonly HtpasswdProblem[];
} {
  const users: HtpasswdUser[] = [];
  const problems: HtpasswdProblem[] = [];
  text.split(/\r?\n/).forEach((raw, at) => {
    const content = raw.trim();
    if (content === '' || content.startsWith('#')) return;
    const problem = (message: string) => problems.push({ line: at + 1, message });
    const colon = content.indexOf(':');
    if (colon < 1) {
      problem('it is not `user:hash`');
      return;
    }
    const user = content.slice(0, colon);
    // Some tools add fields of their own behind a second colon.
    const [hash = ''] = content.slice(colon + 1).split(':', 1);
    if (user.length > 120) problem('the user name is longer than 120 characters');
    else if (users.some((other) => other.user === user)) problem(`${user} stands there twice`);
    else if (isImportedHash(hash)) users.push({ user, hash });
    else problem(`the hash of ${user} is ${kindOf(hash)}: only bcrypt and apr1 can be taken`);
  });
  return { users, problems };
}

function kindOf(hash: string): string {
  if (hash.startsWith('{SHA}')) return 'SHA-1 without salt, which is guessed at once';
  if (/^\$[56]\$/.test(hash)) return 'SHA-crypt';
  if (/^\$2[aby]\$/.test(hash)) return 'bcrypt with more than 2^14 rounds, or damaged';
  if (hash.startsWith('$apr1$')) return 'damaged';
  return hash.length === 13 ? 'the old crypt, cut off at 8 characters' : 'of an unknown kind';
}

/** Writes an htpasswd file. */
export function formatHtpasswd(users: readonly HtpasswdUser[]): string {
  return users.map(({ user, hash }) => `${user}:${hash}\n`).join('');
}
