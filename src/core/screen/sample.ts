import type { Policy } from '../policy/types.js';
import { givenBy } from './design/given-by.js';
import type { ScreenLanguage } from './languages.js';
import type { Screen } from './screen.js';
import type { ScreenState, ScreenView } from './view.js';

/** The states that an owner designs; others have less on them. */
export const shownStates = ['ask', 'wrong', 'wait', 'closed', 'sign-in', 'sent'] as const;

/** A screen with nobody before it, as an owner sees it while designing. */
export function sampleView(
  policy: Policy,
  screen: Screen,
  state: ScreenState,
  language: ScreenLanguage,
  { now, script }: { readonly now: number; readonly script: string },
): ScreenView {
  const locks = [...policy.locks.values()].filter((lock) => lock.screen === screen);
  const lock = locks[0];
  const place = lock?.covers[0]?.text ?? '/';
  const asked = [...screen.design.above, ...screen.design.below].find(({ kind }) => kind === 'request');
  const gives = asked?.kind === 'request' ? givenBy(asked.request) : undefined;
  const choice = locks.map(({ remember }) => remember).find(({ kind }) => kind === 'choice');
  const week = 7 * 86_400;
  return {
    state,
    screen,
    siteName: policy.site.name,
    language,
    lock: lock?.name ?? 'lock',
    title: lock?.title,
    to: place.includes('*') ? '/' : place,
    action: '',
    script,
    isHomeOpen: true,
    waitSeconds: 540,
    opensAt: locks.map(({ window }) => window.until).find((until) => until !== undefined) ?? now + week,
    timeZone: policy.site.timeZone,
    staySeconds: choice?.kind === 'choice' ? choice.seconds : undefined,
    request: gives === undefined ? undefined : { action: '' },
    gives,
    signInAt: policy.identity?.signIn?.to ?? '/',
    sentTo: 'somebody@example.org',
  };
}
