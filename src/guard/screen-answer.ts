import Negotiator from 'negotiator';
import type { Lock } from '../core/policy/compile.js';
import { standingOf } from '../core/policy/review.js';
import { renderScreen, type ScreenState } from '../core/screen/render.js';
import { htmlAnswer } from './answers.js';
import type { GuardContext } from './context.js';
import { safeTarget } from './target.js';
import { headerOf, type Verdict } from './visit.js';

/** The screen of a lock as an answer: what somebody gets who is not let in. */
export function screenAnswer(
  { standing, assets, visit, now }: GuardContext,
  lock: Lock,
  state: ScreenState,
  to: string,
  waitSeconds?: number,
): Verdict {
  const { site } = standing.policy;
  const shownState: ScreenState = lock.passwords.length === 0 ? 'closed' : state;
  const language = languageFor(headerOf(visit, 'accept-language'), standing.languages);
  const body = renderScreen({
    state: shownState,
    siteName: site.name,
    language,
    lock: lock.name,
    to: safeTarget(to) ?? '/',
    action: `${site.prefix}/unlock`,
    script: `${site.prefix}/assets/${assets.scriptName}`,
    // Not where a stranger finds the start page locked as well.
    home: standingOf(standing.policy, '/', now).open ? '/' : undefined,
    opensAt: lock.window.until,
    timeZone: site.timeZone,
    waitSeconds,
    staySeconds: lock.remember.kind === 'choice' ? lock.remember.seconds : undefined,
  });
  const { until } = lock.window;
  const retryAfter =
    shownState === 'wait'
      ? waitSeconds
      : shownState === 'closed' && until !== undefined
        ? Math.max(1, Math.ceil(until - now))
        : undefined;
  const isClosed = shownState === 'closed' && lock.outsiders === 'closed';
  const status = shownState === 'wait' ? 429 : isClosed ? 503 : 403;
  return htmlAnswer(status, body, {
    ...(retryAfter === undefined ? {} : { 'retry-after': String(retryAfter) }),
    'content-language': language.tag,
    'content-security-policy': assets.contentSecurityPolicy,
    vary: 'Cookie, Accept-Language',
  });
}

function languageFor<L extends { readonly tag: string }>(
  accept: string | undefined,
  languages: readonly [L, ...L[]],
): L {
  if (accept === undefined || languages.length === 1) return languages[0];
  const negotiator = new Negotiator({ headers: { 'accept-language': accept } });
  const tag = negotiator.language(languages.map((language) => language.tag));
  return languages.find((language) => language.tag === tag) ?? languages[0];
}
