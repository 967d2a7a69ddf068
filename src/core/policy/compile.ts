import { targetReader, type Canonical } from '../places/canonical.js';
import { coverIndex, type CoverIndex, type Statement } from '../places/cover-index.js';
import { foldRules } from '../places/fold.js';
import { parsePlace, type Place } from '../places/place.js';
import { parsePhc, type PasswordHash } from '../passwords/phc.js';
import { sharesSalt } from '../passwords/shared-salt.js';
import type { PolicyProblem } from './problem.js';
import type { LockDocument, PolicyDocument, Remember, SiteDocument } from './schema.js';

/** A password of a lock, ready to be compared. */
export interface LockPassword {
  readonly id: string;
  readonly label: string;
  readonly parsedHash: PasswordHash;
  /** Changes when the password does; a pass carries it so that it dies with the password. */
  readonly mark: string;
}

/** A lock, ready to be asked. */
export interface Lock {
  readonly name: string;
  readonly covers: readonly Place[];
  readonly except: readonly Place[];
  readonly passwords: readonly LockPassword[];
  readonly remember: Remember;
  readonly enabled: boolean;
}

/** A policy, ready to be asked. Nothing in it changes after it was compiled. */
export interface Policy {
  readonly site: SiteDocument;
  readonly locks: ReadonlyMap<string, Lock>;
  /** How often passwords may be tried. */
  readonly guessing: PolicyDocument['guessing'];
  /** Reads request targets by the site's rules. */
  readonly read: (target: string) => Canonical;
  /** Reads places as an owner writes them. */
  readonly parsePlace: (text: string) => ReturnType<typeof parsePlace>;
  /** Over the locks that are on. */
  readonly index: CoverIndex<Lock>;
}

/** The compiled policy, or everything that is wrong with it. */
export type CompiledPolicy =
  | { readonly ok: true; readonly policy: Policy }
  | { readonly ok: false; readonly problems: readonly PolicyProblem[] };

/** Checks what the schema cannot (places, shared salts, doubles) and builds what `decide` asks. */
export function compilePolicy(document: PolicyDocument): CompiledPolicy {
  const problems: PolicyProblem[] = [];
  const rules = foldRules(document.site);
  const read = targetReader(document.site);
  const parse = (text: string) => parsePlace(text, read, rules);

  const locks = new Map<string, Lock>();
  for (const [name, lock] of Object.entries(document.locks)) {
    const at = ['locks', name];
    const places = (key: 'covers' | 'except') =>
      lock[key].flatMap((text, position) => {
        const parsed = parse(text);
        if (parsed.ok && !(key === 'except' && parsed.place.kind === 'site')) return parsed.place;
        const problem = parsed.ok
          ? 'this would open all that the lock covers: the start page alone is `/index.html`'
          : parsed.problem;
        problems.push({ path: [...at, key, position], message: `\`${text}\`: ${problem}` });
        return [];
      });
    const covers = places('covers');
    const except = places('except');
    problems.push(...contradictions(lock, covers, except, at));
    const passwords = compilePasswords(lock, at, problems);
    const { remember, enabled } = lock;
    locks.set(name, { name, covers, except, passwords, remember, enabled });
  }
  if (problems.length > 0) return { ok: false, problems };
  const index = coverIndex(statementsOf(locks.values()));
  const { site, guessing } = document;
  return { ok: true, policy: { site, locks, guessing, read, parsePlace: parse, index } };
}

function* statementsOf(locks: Iterable<Lock>): Iterable<Statement<Lock>> {
  for (const lock of locks) {
    if (!lock.enabled) continue;
    for (const place of lock.covers) yield { lock, says: 'covers', place };
    for (const place of lock.except) yield { lock, says: 'except', place };
  }
}

function contradictions(
  lock: LockDocument,
  covers: readonly Place[],
  except: readonly Place[],
  at: readonly string[],
): PolicyProblem[] {
  const key = (place: Place) =>
    'path' in place ? `${place.kind} ${place.path}` : `${place.kind} ${place.text}`;
  const covered = new Map(covers.map((place) => [key(place), place.text]));
  return except.flatMap((place) => {
    const same = covered.get(key(place));
    if (same === undefined) return [];
    return {
      path: [...at, 'except', lock.except.indexOf(place.text)],
      message: `\`${place.text}\` is among the covers too, as \`${same}\`: leave one of them out`,
    };
  });
}

function compilePasswords(
  lock: LockDocument,
  at: readonly string[],
  problems: PolicyProblem[],
): LockPassword[] {
  const seen = { id: new Set<string>(), label: new Set<string>(), hash: new Set<string>() };
  const passwords: LockPassword[] = [];
  lock.passwords.forEach((password, position) => {
    const path = (key: string) => [...at, 'passwords', position, key];
    for (const key of ['id', 'label', 'hash'] as const) {
      if (seen[key].has(password[key])) {
        const message =
          key === 'hash'
            ? 'two passwords of this lock are the same: give each its own, or retire one'
            : `the ${key} \`${password[key]}\` is used twice in this lock`;
        problems.push({ path: path(key), message });
      }
      seen[key].add(password[key]);
    }
    const parsedHash = parsePhc(password.hash);
    if (parsedHash === undefined) return;
    const first = passwords[0]?.parsedHash;
    if (first !== undefined && !sharesSalt(first, parsedHash)) {
      problems.push({
        path: path('hash'),
        message:
          'it has another salt or cost than the first of this lock: ' +
          'all must share one, so run `dorlin password rotate` for it',
      });
    }
    const { id, label, hash } = password;
    // 36 bits of the hash: enough to tell a change, and of no use without the salt.
    passwords.push({ id, label, parsedHash, mark: hash.slice(-6) });
  });
  return passwords;
}
