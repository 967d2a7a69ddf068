import { linkOfToken } from '../../core/passes/entry-link.js';
import { countsAt } from '../../core/policy/lock-state.js';
import { readKnownBrowser } from '../../core/passes/known-browser.js';
import { passStanding } from '../../core/passes/pass.js';
import type { Lock } from '../../core/policy/types.js';
import type { EntryLink } from '../../core/policy/openers.js';
import { isWithin } from '../../core/windows/window.js';
import { jsonAnswer, seeOther } from '../answers/answers.js';
import { passesIn, tell, type GuardContext } from '../context.js';
import { readForm, wantsJson } from '../visit/form.js';
import { landingOf, letIn } from './let-in.js';
import { noticeAnswer } from '../answers/screen-answer.js';
import type { Answer } from '../visit/visit.js';

/**
 * `/_dorlin/enter?link=…`: an entry link. GET lets in at once, unless its uses are counted: then it
 * shows one button, so that a robot that looks ahead, or a chat that makes a preview, uses up none.
 *
 * Everything that a link cannot do is told alike: forged, revoked, ended and used up.
 */
export async function answerEnter(context: GuardContext): Promise<Answer> {
  const { visit, guarded, options, now } = context;
  const isPost = visit.method === 'POST';
  const token = isPost ? (await readForm(visit)).get('link') : queryOf(context.target, 'link');
  const found = await linkOfToken(token, guarded.policy, context.keys);
  if (found === undefined || !isWithin(found.link.window, now)) return deadLink(context);
  const { lock, link, own } = found;
  if (own !== undefined && now >= own.until) return deadLink(context);
  const to = link.to ?? landingOf(lock, undefined);
  // What is not locked needs no pass, and uses up nothing.
  if (!countsAt(lock, now)) return withoutToken(seeOther(to, []));
  if (link.uses !== undefined) {
    if (await isInBy(context, lock, link)) return withoutToken(seeOther(to, []));
    if (!isPost) return noticeAnswer(context, 'enter', 200, { lock, link: token });
    const isLeft = await options.linkUses.take(
      // What is one's own has uses of its own.
      `${lock.name}/${link.id}${own === undefined ? '' : `/${own.serial}`}`,
      link.uses,
      guarded.policy,
    );
    if (!isLeft) return deadLink(context);
  }
  tell(context, { type: 'entered', lock: lock.name, opener: link.id, label: link.label });
  const { known } = context.cookies;
  const browser = await readKnownBrowser(known, guarded.audience, context.keys);
  return withoutToken(await letIn(context, { lock, opener: link, to, stays: false, browser, until: own?.until }));
}

/** Whether this browser has come in by the link already. */
async function isInBy(context: GuardContext, lock: Lock, link: EntryLink): Promise<boolean> {
  const { cookies } = context;
  return (await passesIn(cookies, context)).some(
    (pass) =>
      pass.l === lock.name && pass.p === link.id && passStanding(pass, lock, context.now, cookies.session) === 'counts',
  );
}

function deadLink(context: GuardContext): Answer {
  tell(context, { type: 'dead-link' });
  return wantsJson(context.visit) ? jsonAnswer(403, { state: 'ended' }) : noticeAnswer(context, 'ended', 403);
}

/** The next address must not learn the token from the `Referer` header. */
function withoutToken(verdict: Answer): Answer {
  return { ...verdict, headers: { ...verdict.headers, 'referrer-policy': 'no-referrer' } };
}

function queryOf(target: string, name: string): string | undefined {
  const at = target.indexOf('?');
  return at < 0 ? undefined : (new URLSearchParams(target.slice(at + 1)).get(name) ?? undefined);
}
