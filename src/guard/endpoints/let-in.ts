import { base64url } from 'jose';
import { knownAtToo, packKnownBrowser, type KnownBrowser } from '../../core/passes/known-browser.js';
import { maxPasses, newPass, packPasses, passStanding, type Pass } from '../../core/passes/pass.js';
import type { KeyChain } from '../../core/passes/keys.js';
import type { Lock } from '../../core/policy/types.js';
import type { Opener } from '../../core/policy/openers.js';
import { jsonAnswer, seeOther } from '../answers/answers.js';
import { passesIn, tell, type GuardContext } from '../context.js';
import { keepCookies, passesRoom } from '../visit/cookies.js';
import { wantsJson } from '../visit/form.js';
import { safeTarget } from '../visit/target.js';
import type { Answer } from '../visit/visit.js';

/** What somebody is let in by, and how. */
export interface LettingIn {
  readonly lock: Lock;
  readonly opener: Opener;
  /** Where to land: a path on this site. */
  readonly to: string;
  /** Whether the visitor asked to stay, where the lock leaves that to visitors. */
  readonly stays: boolean;
  readonly browser: KnownBrowser | undefined;
  /** When it ends whatever the lock remembers, in seconds since 1970. */
  readonly until?: number | undefined;
}

/** Adds a pass to those of the browser, and sends it to the place. */
export async function letIn(
  context: GuardContext,
  { lock, opener, to, stays, browser, until }: LettingIn,
): Promise<Answer> {
  const { visit, guarded, options, isSecure, now } = context;
  const { policy, audience } = guarded;
  const { cookies } = context;
  const mark = cookies.session ?? base64url.encode(options.random(16));
  const isLasting = lock.remember.kind === 'span' || (lock.remember.kind === 'choice' && stays);
  const added = newPass(lock, opener, now, isLasting ? undefined : mark, until);
  const kept = (await passesIn(cookies, context)).filter((pass) => {
    const other = policy.locks.get(pass.l);
    if (other === undefined || pass.l === lock.name) return false;
    return passStanding(pass, other, now, cookies.session) === 'counts';
  });
  const { bundle, passes } = await packedToFit([...kept, added], audience, context.keys);
  // The browser would drop a longer cookie without a word, and with it every pass.
  const forgotten = kept.filter((pass) => !passes.includes(pass)).map(({ l }) => l);
  if (forgotten.length > 0)
    tell(context, {
      type: 'failed',
      message: `a browser has no room for more passes: ${forgotten.join(', ')} will ask again`,
    });
  const known = knownAtToo(browser, lock, opener, () => base64url.encode(options.random(12)));
  const cookiesToKeep = {
    bundle,
    passes,
    session: mark,
    known: await packKnownBrowser(known, audience, context.keys),
  };
  const lines = keepCookies(cookiesToKeep, policy, isSecure, now);
  if (!wantsJson(visit)) return seeOther(to, lines);
  const open = passes.map(({ l }) => l);
  return jsonAnswer(200, { open, to, ...(forgotten.length > 0 && { forgotten }) }, { 'set-cookie': lines });
}

/** As many passes, the most recent ones, as one cookie has room for. */
async function packedToFit(
  all: readonly Pass[],
  audience: string,
  keys: KeyChain,
): Promise<{ readonly bundle: string; readonly passes: readonly Pass[] }> {
  for (let passes = all.slice(-maxPasses); ; passes = passes.slice(1)) {
    const bundle = await packPasses(passes, audience, keys);
    if (bundle.length <= passesRoom || passes.length <= 1) return { bundle, passes };
  }
}

/** Where somebody lands who has opened a lock, having asked for this place or for none. */
export function landingOf(lock: Lock | undefined, asked: string | undefined): string {
  if (lock !== undefined && lock.after !== 'same') return lock.after;
  return asked ?? ownPlace(lock) ?? '/';
}

/** A lock's own place, for those who do not say where they met it. */
function ownPlace(lock: Lock | undefined): string | undefined {
  const place = lock?.covers.find(({ kind }) => kind === 'page' || kind === 'folder' || kind === 'section');
  return place === undefined ? undefined : safeTarget(encodeURI(place.text));
}
