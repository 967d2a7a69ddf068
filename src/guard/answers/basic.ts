import { base64url } from 'jose';
import { decideBehind, type Standing } from '../../core/decide.js';
import { macOf } from '../../core/passes/mac.js';
import { newPass, type Pass } from '../../core/passes/pass.js';
import { matchPassword } from '../../core/passwords/shared-salt.js';
import type { Lock } from '../../core/policy/types.js';
import type { Opener } from '../../core/policy/openers.js';
import { isWithin } from '../../core/windows/window.js';
import { textAnswer } from './answers.js';
import { addressOf, tell, type GuardContext } from '../context.js';
import type { Facts } from '../visit/facts.js';
import { countTry } from '../endpoints/guessing.js';
import { headerOf, type Answer, type Verdict, type Visit } from '../visit/visit.js';

/** A name and a password as HTTP Basic sends them (RFC 7617). */
export interface Credentials {
  readonly user: string;
  readonly password: string;
}

/** The credentials of a visit, if it has some that can be read. */
export function readCredentials(visit: Visit): Credentials | undefined {
  const sent = /^Basic +([A-Za-z0-9+/]{1,1024}={0,2}) *$/i.exec(headerOf(visit, 'authorization') ?? '')?.[1];
  if (sent === undefined) return undefined;
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(base64url.decode(sent));
  } catch {
    return undefined;
  }
  const colon = text.indexOf(':');
  if (colon < 1 || /[\x00-\x1f\x7f]/.test(text)) return undefined;
  return { user: text.slice(0, colon).normalize('NFC'), password: text.slice(colon + 1) };
}

/** The facts with what the credentials open added to them, or an answer that there was no try. */
export async function factsWithCredentials(
  context: GuardContext,
  standing: Standing,
  facts: Facts,
  credentials: Credentials,
): Promise<Facts | Verdict> {
  const { now } = context;
  // Each request brings its credentials along, so what they open counts for that one alone.
  const mark = facts.session ?? 'basic';
  const tried = new Set<Lock>();
  let known: Facts = { ...facts, session: mark };
  for (;;) {
    const decision = decideBehind(standing, known);
    if (decision.kind !== 'shut') return known;
    const lock = decision.locks.find((one) => one.basic !== false && !tried.has(one));
    if (lock === undefined) return known;
    tried.add(lock);
    const opener = await openerBy(context, lock, credentials);
    if (typeof opener === 'number') return waitAnswer(opener);
    if (opener === undefined) continue;
    const pass: Pass = newPass(lock, opener, now, mark);
    known = { ...known, passes: [...known.passes, pass] };
  }
}

/** What the credentials open at a lock; a number is how many seconds to wait before trying. */
async function openerBy(
  context: GuardContext,
  lock: Lock,
  credentials: Credentials,
): Promise<Opener | number | undefined> {
  const { guarded, caches, now } = context;
  const { user, password } = credentials;
  const text = JSON.stringify([lock.name, user, password]);
  const key = await macOf(text, context.keys[0].credentials);
  const known = caches.credentials.get(guarded.number, key);
  if (known !== undefined) return isWithin(known.window, now) ? known : undefined;
  const tryKey = `${key} ${addressOf(context) ?? ''}`;
  const { isBeforehand = false } = context.visit;
  if (!isBeforehand && caches.refused.take(guarded.number, tryKey) !== undefined) return undefined;
  const counted = await countTry(context, lock, undefined);
  if (!counted.isAllowed) {
    tell(context, { type: 'waiting', lock: lock.name });
    return counted.waitSeconds;
  }
  let opener: Opener | undefined;
  try {
    opener = await matchCredentials(context, lock, credentials);
  } catch (error) {
    // What was not hashed was no try.
    await counted.giveBack();
    throw error;
  }
  if (opener === undefined || !isWithin(opener.window, now)) {
    tell(context, { type: 'wrong', lock: lock.name });
    if (isBeforehand) caches.refused.set(guarded.number, tryKey, true);
    return undefined;
  }
  await counted.giveBack();
  caches.credentials.set(guarded.number, key, opener);
  tell(context, { type: 'unlocked', lock: lock.name, opener: opener.id, label: opener.label });
  return opener;
}

/**
 * Hashes as often for a user that is not there as for one that is: each kind and cost of hash that
 * the lock has once, the user's own among them, so that the time tells nothing.
 */
async function matchCredentials(
  { options }: GuardContext,
  lock: Lock,
  { user, password }: Credentials,
): Promise<Opener | undefined> {
  const isUser = ({ label }: Opener) => label.normalize('NFC') === user;
  const own = await matchPassword(password, lock.passwords, options.hasher);
  const imported = lock.importedUsers.find(isUser);
  let fits = false;
  const kinds = new Map(lock.importedUsers.map((one) => [kindOf(one.importedHash), one]));
  if (imported !== undefined) kinds.set(kindOf(imported.importedHash), imported);
  for (const one of kinds.values()) {
    const isRight = await options.verifier(password, one.importedHash);
    if (isRight && one === imported) fits = true;
  }
  if (own !== undefined && isUser(own)) return own;
  return fits ? imported : undefined;
}

/** What decides how long a hash takes: `$2y$12$`, `$apr1$`. */
const kindOf = (hash: string) => /^\$(?:2[abxy]\$\d+|\w+)\$/.exec(hash)?.[0] ?? hash;

function waitAnswer(waitSeconds: number): Answer {
  const text = `There were too many tries. Try again in ${waitSeconds} seconds.`;
  return textAnswer(429, text, { 'retry-after': String(waitSeconds) });
}

/** Which of these locks an outsider is to be asked for with a challenge, if any. */
export function lockToChallenge(visit: Visit, locks: readonly Lock[]): Lock | undefined {
  const always = locks.find(({ basic }) => basic === 'always');
  if (always !== undefined) return always;
  const lock = locks.find(({ basic, outsiders }) => basic === true && outsiders === 'screen');
  return lock === undefined || isBrowser(visit) ? undefined : lock;
}

/**
 * Whether a browser asks. It shows its own prompt at a challenge, for a picture in an open page
 * too, where the screen is what visitors should meet.
 */
function isBrowser(visit: Visit): boolean {
  // Not by `Sec-Fetch-Mode`, which tools with a `fetch` of their own send too.
  if (headerOf(visit, 'sec-fetch-dest') !== undefined) return true;
  // On plain http browsers do not say so; they do say what they can show, or where they come from.
  const accept = headerOf(visit, 'accept') ?? '';
  return /text\/html|text\/css|image\//i.test(accept) || headerOf(visit, 'referer') !== undefined;
}

/** The value of `WWW-Authenticate` for a lock (RFC 7617 section 2). */
export function challengeOf(lock: Lock, siteName: string): string {
  const name = lock.title ?? `${siteName}, ${lock.name}`;
  // Beyond ASCII no two clients read a realm alike (RFC 9110 section 5.5).
  const plain = name.normalize('NFKD').replace(/[^\x20-\x7e]/g, '');
  const realm = (plain.trim() === '' ? lock.name : plain).replace(/["\\]/g, '\\$&');
  return `Basic realm="${realm}", charset="UTF-8"`;
}
