import { accessOfStranger } from '../../core/access.js';
import { asksWhoIsThere } from '../../core/bypass/bypass.js';
import type { Lock } from '../../core/policy/types.js';
import type { Screen } from '../../core/screen/screen.js';
import { renderScreen } from '../../core/screen/render.js';
import { isWithin } from '../../core/windows/window.js';
import type { RequestForm, ScreenState, ScreenView } from '../../core/screen/view.js';
import { htmlAnswer } from './answers.js';
import { contentSecurityPolicy, scriptName } from './assets.js';
import type { GuardContext } from '../context.js';
import { languageFor } from '../visit/language.js';
import { ribbonHtml } from '../page/ribbon.js';
import { safeTarget } from '../visit/target.js';
import { headerOf, type Answer, type VerdictHeaders } from '../visit/visit.js';

/** The screen of a lock as an answer: what somebody gets who is not let in. */
export function screenAnswer(
  context: GuardContext,
  lock: Lock,
  state: ScreenState,
  to: string,
  waitSeconds?: number,
): Answer {
  const { now } = context;
  const shownState = lock.passwords.length === 0 ? withoutPassword(context, lock) : state;
  const { until } = lock.window;
  const retryAfter =
    shownState === 'wait'
      ? waitSeconds
      : shownState === 'closed' && until !== undefined
        ? Math.max(1, Math.ceil(until - now))
        : undefined;
  const isClosed = shownState === 'closed' && lock.outsiders === 'closed';
  const status = shownState === 'wait' ? 429 : isClosed ? 503 : 403;
  const view = { ...viewOf(context, lock, to), state: shownState, waitSeconds };
  const headers = retryAfter === undefined ? {} : { 'retry-after': String(retryAfter) };
  return drawnAnswer(context, status, view, headers);
}

/** The screen of a lock, to somebody who has asked there to be sent something. */
export function requestAnswer(
  context: GuardContext,
  lock: Lock,
  state: 'ask' | 'sent',
  status: number,
  { to, sentTo, ...about }: { readonly to: string; readonly sentTo?: string } & Omit<RequestForm, 'action'>,
  headers: VerdictHeaders = {},
): Answer {
  const isShut = lock.passwords.length === 0 && state === 'ask';
  const shownState = isShut ? withoutPassword(context, lock) : state;
  const view = viewOf(context, lock, to, about);
  return drawnAnswer(context, status, { ...view, state: shownState, sentTo }, headers);
}

/** What is said where no password opens a lock: that one must sign in, if that would do. */
const withoutPassword = ({ now }: GuardContext, lock: Lock): ScreenState =>
  opensBySignIn(lock, now) && lock.outsiders === 'screen' ? 'sign-in' : 'closed';

/** Whether somebody who signs in may be let in without a password. */
const opensBySignIn = ({ bypasses }: Lock, now: number) =>
  bypasses.some((bypass) => asksWhoIsThere(bypass) && isWithin(bypass.window, now));

/** Whether a stranger gets the sign-in page: it must not lead from one screen to the next. */
function isSignInOpen({ policy }: GuardContext['guarded'], now: number): boolean {
  const [page = ''] = (policy.identity?.signIn?.to ?? '').split('#', 1);
  return !page.startsWith('/') || accessOfStranger(policy, page, now).open;
}

/** The site's own sign-in, told where to lead back to. */
function signInFor({ policy }: GuardContext['guarded'], to: string): string | undefined {
  const signIn = policy.identity?.signIn;
  if (signIn === undefined) return undefined;
  // Another host is told the whole address.
  const back = signIn.to.startsWith('/') ? to : (policy.site.origin ?? '') + to;
  const [page = '', anchor] = signIn.to.split('#', 2);
  const joint = page.includes('?') ? '&' : '?';
  const query = `${joint}${signIn.returnAs}=${encodeURIComponent(back)}`;
  return page + query + (anchor === undefined ? '' : `#${anchor}`);
}

/** What a screen shows of a lock in every state. */
function viewOf({ guarded, now }: GuardContext, lock: Lock, to: string, request: Omit<RequestForm, 'action'> = {}) {
  const { site } = guarded.policy;
  const back = safeTarget(to) ?? '/';
  return {
    screen: lock.screen,
    lock: lock.name,
    title: lock.title,
    to: back,
    gives: lock.request?.gives,
    signInAt: opensBySignIn(lock, now) && isSignInOpen(guarded, now) ? signInFor(guarded, back) : undefined,
    opensAt: lock.window.until,
    timeZone: site.timeZone,
    staySeconds: lock.remember.kind === 'choice' ? lock.remember.seconds : undefined,
    request: lock.request === undefined ? undefined : { action: `${site.prefix}/request`, ...request },
  };
}

/** A screen that speaks of no lock: of an entry link, of credentials, or of a site that does not answer. */
export function noticeAnswer(
  context: GuardContext,
  state: 'enter' | 'ended' | 'credentials' | 'away',
  status: number,
  { lock, link }: { readonly lock?: Lock; readonly link?: string | undefined } = {},
): Answer {
  // Its address may hold a token, which is for nobody else.
  return drawnAnswer(context, status, { state, screen: lock?.screen, link }, { 'referrer-policy': 'no-referrer' });
}

/** The language in which a visitor is spoken to. */
export const languageOf = ({ visit, guarded }: GuardContext) =>
  languageFor(headerOf(visit, 'accept-language'), guarded.languages);

function drawnAnswer(
  context: GuardContext,
  status: number,
  view: Pick<ScreenView, 'state'> & { readonly screen: Screen | undefined } & Partial<Omit<ScreenView, 'screen'>>,
  headers: VerdictHeaders,
): Answer {
  const { guarded, now } = context;
  const { site, defaultScreen } = guarded.policy;
  const screen = view.screen ?? defaultScreen;
  const language = languageOf(context);
  const { publicSince } = context.cookies;
  const html = renderScreen({
    siteName: site.name,
    language,
    lock: '',
    to: '/',
    action: `${site.prefix}/${view.state === 'enter' ? 'enter' : 'unlock'}`,
    script: `${site.prefix}/assets/${scriptName}`,
    // Not where a stranger finds the start page locked as well.
    isHomeOpen: guarded.isHomeOpen(now),
    ...view,
    screen,
  });
  const isAsPublic = publicSince !== undefined;
  const body = isAsPublic ? html.replace('</body>', () => `${ribbonHtml(context, { kind: 'public' })}</body>`) : html;
  return htmlAnswer(status, body, {
    ...headers,
    'content-language': language.tag,
    'content-security-policy':
      guarded.securityPolicies.get(screen)?.[isAsPublic ? 1 : 0] ?? contentSecurityPolicy(screen, isAsPublic),
    vary: 'Cookie, Accept-Language',
  });
}
