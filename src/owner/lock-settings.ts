import type { PolicyEditor } from '../core/policy/editor.js';
import type { Outsiders, WrongDocument } from '../core/policy/document.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { spanText } from '../core/policy/span.js';
import { momentText } from '../core/windows/moment.js';
import { readWhen } from '../core/windows/when.js';
import { isWithin, type Window } from '../core/windows/window.js';
import { bypassNamed, lockNamed, screenNamed } from './named.js';
import { pathOfAddress } from './place-text.js';

/**
 * How a lock is to be, key by key; what is left out stays. `null` takes a setting back to what a lock has
 * by itself.
 */
export interface LockSettings {
  /** What its visitors call it. */
  readonly title?: string | null | undefined;
  /** `visit`, a span such as `30 days`, or the same as an offer. */
  readonly remember?: string | { readonly choice: string } | null | undefined;
  /** From when on it counts: a moment, or a span from now. */
  readonly from?: string | null | undefined;
  /** Up to when it counts: a moment, or a span from now. */
  readonly until?: string | null | undefined;
  readonly outsiders?: Outsiders | null | undefined;
  /** Where so many wrong passwords lead. */
  readonly wrong?: WrongDocument | null | undefined;
  /** Where a right password lands. */
  readonly after?: string | null | undefined;
  readonly screen?: string | null | undefined;
  /** Other locks that must be open as well. */
  readonly requires?: readonly string[] | null | undefined;
  /** The bypasses that count at it. */
  readonly bypass?: readonly string[] | null | undefined;
  readonly basic?: boolean | 'always' | null | undefined;
  readonly enabled?: boolean | undefined;
}

/** Writes the settings that are given. @throws DorlinError as reading each of them does */
export function applyLockSettings(editor: PolicyEditor, name: string, settings: LockSettings, now: number): void {
  const { before } = editor;
  const set = (key: string, value: unknown) => {
    // `null` is what a lock has by itself: its key goes.
    if (value !== undefined) editor.set(['locks', name, key], value ?? undefined);
  };
  const { title, remember, from, until, outsiders, wrong, after, screen, requires, bypass, basic, enabled } = settings;
  const zone = before.site.timeZone;
  const when = (option: string, text: string | null | undefined, past?: string) =>
    typeof text === 'string'
      ? readWhen(text, { name: option, zone, now, ...(past !== undefined && { past }) }).text
      : text;
  set('title', title);
  set('remember', remember === 'visit' ? null : remember);
  set('from', when('--from', from));
  set('until', when('--until', until, 'the lock would shut nothing'));
  set('outsiders', outsiders === 'screen' ? null : redirected(before, outsiders));
  set('wrong', wrong && { ...wrong, ...redirected(before, { redirect: wrong.redirect }) });
  set('after', typeof after !== 'string' ? after : after === 'same' ? null : pathOfAddress(before, after));
  if (typeof screen === 'string') screenNamed(before, screen);
  set('screen', screen === 'default' ? null : screen);
  for (const other of requires ?? []) if (other !== name) lockNamed(before, other);
  set('requires', requires?.length === 0 ? null : requires);
  for (const one of bypass ?? []) bypassNamed(before, one);
  set('bypass', bypass?.length === 0 ? null : bypass);
  set('basic', basic === false ? null : basic);
  set('enabled', enabled === true ? null : enabled);
}

function redirected<O extends LockSettings['outsiders']>(policy: Policy, outsiders: O): O | { redirect: string } {
  if (typeof outsiders !== 'object' || outsiders === null) return outsiders;
  const { redirect } = outsiders;
  // Another host of the owner's stays in it; what is pasted of this site becomes a path.
  const isElsewhere = URL.canParse(redirect) && policy.site.hosts.includes(new URL(redirect).host);
  return isElsewhere ? outsiders : { redirect: pathOfAddress(policy, redirect) };
}

/** A lock as it stands in the policy. Moments are in the site's time zone, as the policy writes them. */
export interface LockStanding {
  readonly name: string;
  readonly title?: string | undefined;
  readonly enabled: boolean;
  /** Whether it shuts anything now: it `counts`, or is off or out of its time. */
  readonly standing: 'counts' | 'off' | 'not-yet' | 'ended';
  readonly from?: string | undefined;
  readonly until?: string | undefined;
  /** `visit`, `30 days`, or `choice: 30 days`. */
  readonly remember: string;
  readonly outsiders: Outsiders;
  readonly wrong?: WrongDocument | undefined;
  readonly after: string;
  readonly screen: string;
  readonly basic: boolean | 'always';
  readonly requires: readonly string[];
  readonly bypasses: readonly string[];
  readonly covers: readonly string[];
  readonly except: readonly string[];
  /** How many passwords it has, those from htpasswd files among them. */
  readonly passwords: number;
  readonly links: number;
}

/** Whether a moment lies in a window, before it or behind it. */
export function timeStanding(window: Window, now: number): 'counts' | 'not-yet' | 'ended' {
  if (isWithin(window, now)) return 'counts';
  return window.from !== undefined && now < window.from ? 'not-yet' : 'ended';
}

export function standingOf(policy: Policy, lock: Lock): LockStanding {
  const moment = (at: number | undefined) => (at === undefined ? undefined : momentText(at, policy.site.timeZone));
  const { name, title, enabled, remember, outsiders, wrong, after, screen, basic } = lock;
  return {
    name,
    title,
    enabled,
    standing: !enabled ? 'off' : timeStanding(lock.window, Date.now() / 1000),
    from: moment(lock.window.from),
    until: moment(lock.window.until),
    remember:
      remember.kind === 'visit'
        ? 'visit'
        : `${remember.kind === 'choice' ? 'choice: ' : ''}${spanText(remember.seconds)}`,
    outsiders,
    wrong,
    after,
    screen: screen.name,
    basic,
    requires: lock.requires.map((other) => other.name),
    bypasses: lock.bypasses.map((bypass) => bypass.name),
    covers: lock.covers.map(({ text }) => text),
    except: lock.except.map(({ text }) => text),
    passwords: lock.passwords.length + lock.importedUsers.length,
    links: lock.links.length,
  };
}
