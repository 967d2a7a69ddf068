import type { Lock } from '../../core/policy/types.js';
import { asksByScreen } from '../../core/policy/lock-state.js';
import { redirectAnswer } from './answers.js';
import { challengeOf, lockToChallenge } from './basic.js';
import { lockToAsk } from '../../core/decide.js';
import { tell, type GuardContext } from '../context.js';
import { noticeAnswer, screenAnswer } from './screen-answer.js';
import { shownPath } from '../visit/target.js';
import type { Answer } from '../visit/visit.js';

/**
 * What somebody gets who is not let in at an address, any of these locks guarded before it;
 * `hide` where nobody is to learn that there is anything.
 */
export function outsiderAnswer(context: GuardContext, locks: readonly Lock[]): Answer | 'hide' {
  const { target } = context;
  const challenged = lockToChallenge(context.visit, locks);
  if (challenged !== undefined) {
    tell(context, { type: 'asked', lock: challenged.name, path: shownPath(target) });
    const challenge = challengeOf(challenged, context.guarded.policy.site.name);
    return withHeader(noticeAnswer(context, 'credentials', 401, { lock: challenged }), 'www-authenticate', challenge);
  }
  const lock = lockToAsk(locks);
  const isAsked = asksByScreen(lock);
  tell(context, { type: isAsked ? 'asked' : 'closed', lock: lock.name, path: shownPath(target) });
  if (typeof lock.outsiders !== 'string') return redirectAnswer(lock.outsiders.redirect);
  if (lock.outsiders === 'not-found') return 'hide';
  return screenAnswer(context, lock, lock.outsiders === 'closed' ? 'closed' : 'ask', target);
}

function withHeader(verdict: Answer, name: string, value: string): Answer {
  return { ...verdict, headers: { ...verdict.headers, [name]: value } };
}
