import { decide, lockToAsk } from '../../core/decide.js';
import { countsAt } from '../../core/policy/lock-state.js';
import { isWithin } from '../../core/windows/window.js';
import { DorlinError } from '../../core/errors.js';
import { matchPassword } from '../../core/passwords/shared-salt.js';
import { readKnownBrowser } from '../../core/passes/known-browser.js';
import type { Lock, Policy } from '../../core/policy/types.js';
import { spanWords } from '../../core/screen/languages.js';
import { jsonAnswer, seeOther, textAnswer } from '../answers/answers.js';
import { countTry, sentAfterWrong } from './guessing.js';
import { readForm, wantsJson } from '../visit/form.js';
import { tell, type GuardContext } from '../context.js';
import { landingOf, letIn } from './let-in.js';
import { languageOf, screenAnswer } from '../answers/screen-answer.js';
import { sayer } from '../../core/screen/said.js';
import { safeTarget } from '../visit/target.js';
import type { Answer } from '../visit/visit.js';

/** Tries the password at the locks it may be for, and on success adds a pass to the browser's. */
async function tryPassword(context: GuardContext): Promise<Answer> {
  const { visit, guarded, options } = context;
  const { policy } = guarded;
  const fields = await readForm(visit);
  const named = policy.locks.get(fields.get('lock') ?? '');
  const asked = safeTarget(fields.get('to'));
  const locks = locksToTry(named, asked, policy, context.now);
  const nowhere = () => {
    const to = asked ?? (isHidden(named) ? '/' : landingOf(named, undefined));
    return wantsJson(visit) ? jsonAnswer(200, { to }) : seeOther(to, []);
  };
  if (locks.length === 0) return nowhere();
  const to = asked ?? landingOf(named, undefined);

  const { cookies } = context;
  const browser = await readKnownBrowser(cookies.known, guarded.audience, context.keys);
  const typed = fields.get('password') ?? '';
  // What the tries at locks of the same place came to, should none of them succeed. A password
  // that opens one of two is no guess at the other, so then all are given back.
  const failures: { answer: () => Answer; type: 'wrong' | 'waiting'; lock: string }[] = [];
  const given: (() => Promise<void>)[] = [];
  for (const lock of locks) {
    if (lock.passwords.length === 0) continue;
    const counted = await countTry(context, lock, browser);
    if (!counted.isAllowed) {
      const answer = () => (isHidden(lock) ? nowhere() : notYet(context, lock, to, counted.waitSeconds));
      failures.push({ answer, type: 'waiting', lock: lock.name });
      continue;
    }
    given.push(counted.giveBack);
    const password = await matchPassword(typed, lock.passwords, options.hasher).catch(async (error: unknown) => {
      // What was not hashed was no try.
      if (isBusy(error)) await counted.giveBack();
      throw error;
    });
    // One that does not count at this time is told like any other wrong one.
    if (password === undefined || !isWithin(password.window, context.now)) {
      const elsewhere = isHidden(lock) ? undefined : await sentAfterWrong(context, lock, browser);
      const answer = () => (isHidden(lock) ? nowhere() : wrong(context, lock, to, elsewhere));
      failures.push({ answer, type: 'wrong', lock: lock.name });
      continue;
    }
    for (const giveBack of given) await giveBack();
    tell(context, {
      type: 'unlocked',
      lock: lock.name,
      opener: password.id,
      label: password.label,
    });
    const stays = fields.get('stay') === 'on';
    const landing = landingOf(lock, to);
    return letIn(context, { lock, opener: password, to: landing, stays, browser });
  }
  for (const { type, lock } of failures) tell(context, { type, lock });
  const lock = lockToAsk(locks);
  return failures[0]?.answer() ?? (isHidden(lock) ? nowhere() : screenAnswer(context, lock, 'ask', to));
}

/** Whether nobody is to learn that there is such a lock: it is answered as one that is not there. */
const isHidden = (lock: Lock | undefined) => lock?.outsiders === 'not-found';

/** `POST /_dorlin/unlock`: tries the password, unless too much is being tried already. */
export async function answerUnlock(context: GuardContext): Promise<Answer> {
  try {
    return await tryPassword(context);
  } catch (error) {
    return busyAnswer(context, error);
  }
}

/**
 * The answer to somebody whose password was not tried because too many were.
 * @throws every other error
 */
export function busyAnswer(context: GuardContext, error: unknown): Answer {
  if (!isBusy(error)) throw error;
  tell(context, { type: 'busy', lock: '' });
  const text = 'So many passwords are being tried at the moment that yours was not. Try again soon.';
  return textAnswer(503, text, { 'retry-after': '5' });
}

const isBusy = (error: unknown) => error instanceof DorlinError && error.code === 'hashing-busy';

/** @param elsewhere - where so many wrong ones lead */
function wrong(context: GuardContext, lock: Lock, to: string, elsewhere: string | undefined): Answer {
  if (!wantsJson(context.visit)) {
    return elsewhere === undefined ? screenAnswer(context, lock, 'wrong', to) : seeOther(elsewhere, []);
  }
  const message = sayer(lock.screen, languageOf(context))('wrong').text;
  return jsonAnswer(403, {
    state: 'wrong',
    lock: lock.name,
    message,
    ...(elsewhere !== undefined && { to: elsewhere }),
  });
}

function notYet(context: GuardContext, lock: Lock, to: string, waitSeconds: number): Answer {
  if (!wantsJson(context.visit)) return screenAnswer(context, lock, 'wait', to, waitSeconds);
  const language = languageOf(context);
  const { tag } = language;
  const message = sayer(lock.screen, language)('wait').text.replace('{span}', spanWords(waitSeconds, tag));
  const headers = { 'retry-after': String(waitSeconds) };
  return jsonAnswer(429, { state: 'wait', lock: lock.name, waitSeconds, message }, headers);
}

/**
 * The locks that a password may open: the named one, and those that name the place just as
 * closely, any of which opens it. A lock that is off cannot be opened; nor need it be.
 */
function locksToTry(named: Lock | undefined, to: string | undefined, policy: Policy, now: number): Lock[] {
  const decision = to === undefined ? undefined : decide(policy, { target: to, passes: [], now });
  const deciding = decision?.kind === 'shut' ? decision.locks : [];
  const locks = named === undefined || deciding.includes(named) ? deciding : [named];
  return locks.filter((lock) => countsAt(lock, now) && !(isHidden(lock) && lock.passwords.length === 0));
}
