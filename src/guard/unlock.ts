import { base64url } from 'jose';
import { decide } from '../core/decide.js';
import { matchPassword } from '../core/passwords/shared-salt.js';
import { maxPasses, newPass, packPasses, passStanding, type Pass } from '../core/passes/pass.js';
import type { Lock, LockPassword, Policy } from '../core/policy/compile.js';
import { jsonAnswer, seeOther } from './answers.js';
import { keepCookies, readCookies } from './cookies.js';
import { readForm, wantsJson } from './form.js';
import { lockToAsk, passesIn, tell, type GuardContext } from './context.js';
import { screenAnswer } from './screen-answer.js';
import { safeTarget } from './target.js';
import type { Verdict } from './visit.js';

/** `POST /_dorlin/unlock`: tries the password, and on success adds a pass to the browser's. */
export async function answerUnlock(context: GuardContext): Promise<Verdict> {
  const { visit, standing, options } = context;
  const { policy } = standing;
  const fields = await readForm(visit);
  const named = policy.locks.get(fields.get('lock') ?? '');
  const asked = safeTarget(fields.get('to'));
  const locks = locksToTry(named, asked, policy);
  const to = asked ?? landingPlace(named) ?? '/';
  if (locks.length === 0) return wantsJson(visit) ? jsonAnswer(200, { to }) : seeOther(to, []);

  const typed = fields.get('password') ?? '';
  for (const lock of locks) {
    const password = await matchPassword(typed, lock.passwords, options.hasher);
    if (password === undefined) continue;
    tell(context, { type: 'unlocked', lock: lock.name, label: password.label });
    return letIn(context, lock, password, to, fields.get('stay') === 'on');
  }
  const lock = lockToAsk(locks);
  tell(context, { type: 'wrong', lock: lock.name });
  if (!wantsJson(visit)) return screenAnswer(context, lock, 'wrong', to);
  const { words } = standing.languages[0];
  return jsonAnswer(403, { state: 'wrong', lock: lock.name, message: words.wrong });
}

/**
 * The locks that a password may open: the named one, and those that name the place just as
 * closely, any of which opens it. A lock that is off cannot be opened; nor need it be.
 */
function locksToTry(named: Lock | undefined, to: string | undefined, policy: Policy): Lock[] {
  const decision =
    to === undefined ? undefined : decide(policy, { target: to, passes: [], now: 0 });
  const deciding = decision?.kind === 'shut' ? decision.locks : [];
  const locks = named === undefined || deciding.includes(named) ? deciding : [named];
  return locks.filter(({ enabled }) => enabled);
}

/** A lock's own place, for a form that does not say where it was met. */
function landingPlace(lock: Lock | undefined): string | undefined {
  const place = lock?.covers.find(({ kind }) => kind === 'page' || kind === 'folder');
  return place === undefined ? undefined : safeTarget(encodeURI(place.text));
}

async function letIn(
  context: GuardContext,
  lock: Lock,
  password: LockPassword,
  to: string,
  stays: boolean,
): Promise<Verdict> {
  const { visit, standing, options, isSecure, now } = context;
  const { policy, audience } = standing;
  const cookies = readCookies(visit, isSecure);
  const mark = cookies.visit ?? base64url.encode(options.random(16));
  const isLasting = lock.remember.kind === 'span' || (lock.remember.kind === 'choice' && stays);
  const added = newPass(lock, password, now, isLasting ? undefined : mark);
  const kept = (await passesIn(cookies, context)).filter((pass) => {
    const other = policy.locks.get(pass.l);
    if (other === undefined || pass.l === lock.name) return false;
    return passStanding(pass, other, now, cookies.visit) === 'counts';
  });
  const passes: Pass[] = [...kept, added].slice(-maxPasses);
  const bundle = await packPasses(passes, audience, options.keys);
  const lines = keepCookies(bundle, passes, mark, policy, isSecure, now);
  if (!wantsJson(visit)) return seeOther(to, lines);
  return jsonAnswer(200, { open: passes.map(({ l }) => l), to }, { 'set-cookie': lines });
}
