import type { ScreenLanguage } from './languages.js';
import type { Screen } from './screen.js';

/** What a form that asks for an address is sent with. */
export interface RequestForm {
  readonly action: string;
  readonly fault?: RequestFault | undefined;
  /** With `many`: seconds until the next may be sent. */
  readonly waitSeconds?: number | undefined;
  /** What was typed, where it has to be mended. */
  readonly typed?: string | undefined;
}

/**
 * What the screen is saying: the states that an owner writes texts for, then four of its own.
 * `sign-in` is said where no password opens the place and the site knows who may: by bypass alone.
 * `enter` has one button for an entry link whose uses are counted, `ended` tells that a link opens
 * nothing, `credentials` that the browser's own prompt asks, `away` that the site itself does not answer.
 */
export const screenStates = [
  'ask',
  'wrong',
  'wait',
  'closed',
  'sign-in',
  'sent',
  'enter',
  'ended',
  'credentials',
  'away',
] as const;

export type ScreenState = (typeof screenStates)[number];

/**
 * What is wrong with a request: its address, a missing consent, that there were too many, or that no
 * letter could go.
 */
export type RequestFault = 'address' | 'consent' | 'many' | 'failed';

/** All that a screen shows. Every text may hold anything; it is escaped here. */
export interface ScreenView {
  readonly state: ScreenState;
  readonly screen: Screen;
  readonly siteName: string;
  readonly language: ScreenLanguage;
  /** The lock to be opened. */
  readonly lock: string;
  /** What its visitors call it: the user name under which a browser keeps the password. */
  readonly title?: string | undefined;
  /** The address the visitor asked for: a path with its query. */
  readonly to: string;
  /** Where the form is sent. */
  readonly action: string;
  /** The address of the screen's script, which shows what was typed; it is not needed. */
  readonly script: string;
  /** In state `enter`: the token of the link. */
  readonly link?: string | undefined;
  /** Whether the start page is open to strangers, and so a way home. */
  readonly isHomeOpen?: boolean | undefined;
  /** In state `wait`: seconds until the next try. */
  readonly waitSeconds?: number | undefined;
  /** In state `closed` and for a countdown: when it opens, in seconds since 1970, if known. */
  readonly opensAt?: number | undefined;
  /** The time zone in which that is said. @default UTC */
  readonly timeZone?: string | undefined;
  /** Seconds for which the visitor may choose to stay unlocked; left out where there is no choice. */
  readonly staySeconds?: number | undefined;
  /** Where requests are taken, if they are. */
  readonly request?: RequestForm | undefined;
  /** What is sent to whoever leaves an address; without it, nothing is asked for. */
  readonly gives?: 'password' | 'link' | 'nothing' | undefined;
  /** In state `sign-in`: the site's own, with the way back; without it, nothing leads there. */
  readonly signInAt?: string | undefined;
  /**
   * Whether only a script opens it, as in sealed sites. Until one has made its fields usable, nothing can be typed or
   * sent: a form sent without it would give the password to the host.
   */
  readonly needsScript?: boolean | undefined;
  /** In state `sent`: where the letter has gone. */
  readonly sentTo?: string | undefined;
}
