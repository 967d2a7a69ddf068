import type { Policy } from '../policy/types.js';
import { givenBy } from './design/given-by.js';
import type { ScreenLanguage } from './languages.js';
import type { Screen } from './screen.js';
import type { ScreenState, ScreenView } from './view.js';

/** The states that an owner designs; others have less on them. */
export const shownStates = ['ask', 'wrong', 'wait', 'closed', 'sign-in', 'sent'] as const;

/** What a screen says that is not in its design: of the site, and of the first lock that shows it. */
export interface SampleFacts {
  readonly siteName: string;
  readonly timeZone: string;
  readonly lock: string;
  readonly title?: string | undefined;
  /** The address that a visitor asked for. */
  readonly to: string;
  /** When the lock ends, in seconds since 1970. */
  readonly opensAt?: number | undefined;
  /** For how long a visitor may choose to stay, in seconds. */
  readonly staySeconds?: number | undefined;
  readonly signInAt: string;
}

/** What a policy says of those who meet a screen of it. */
export function sampleFacts(policy: Policy, screen: Screen): SampleFacts {
  const locks = [...policy.locks.values()].filter((lock) => lock.screen === screen);
  const lock = locks[0];
  const place = lock?.covers[0]?.text ?? '/';
  const choice = locks.map(({ remember }) => remember).find(({ kind }) => kind === 'choice');
  return {
    siteName: policy.site.name,
    timeZone: policy.site.timeZone,
    lock: lock?.name ?? 'lock',
    title: lock?.title,
    to: place.includes('*') ? '/' : place,
    opensAt: locks.map(({ window }) => window.until).find((until) => until !== undefined),
    staySeconds: choice?.kind === 'choice' ? choice.seconds : undefined,
    signInAt: policy.identity?.signIn?.to ?? '/',
  };
}

/** A screen with nobody before it, as an owner sees it while designing. */
export function sampleView(
  facts: SampleFacts,
  screen: Screen,
  state: ScreenState,
  language: ScreenLanguage,
  { now, script }: { readonly now: number; readonly script: string },
): ScreenView {
  const asked = [...screen.design.above, ...screen.design.below].find(({ kind }) => kind === 'request');
  const gives = asked?.kind === 'request' ? givenBy(asked.request) : undefined;
  const week = 7 * 86_400;
  return {
    ...facts,
    state,
    screen,
    language,
    action: '',
    script,
    isHomeOpen: true,
    waitSeconds: 540,
    opensAt: facts.opensAt ?? now + week,
    request: gives === undefined ? undefined : { action: '' },
    gives,
    sentTo: 'somebody@example.org',
  };
}
