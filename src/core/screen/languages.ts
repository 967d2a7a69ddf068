import { ar } from './words/ar.js';
import { de } from './words/de.js';
import { en } from './words/en.js';
import { es } from './words/es.js';
import { fr } from './words/fr.js';
import { ja } from './words/ja.js';
import { pl } from './words/pl.js';
import { pt } from './words/pt.js';
import type { ScreenWords } from './words/type.js';

const builtIn: Readonly<Record<string, ScreenWords>> = { en, fr, de, es, pt, pl, ar, ja };

/** The languages that texts are built in for, as tags. */
export const builtInLanguages = Object.keys(builtIn);

/** A language of the screen: its tag (BCP 47) and its words. */
export interface ScreenLanguage {
  readonly tag: string;
  readonly words: ScreenWords;
}

export const primaryTag = (tag: string) => tag.toLowerCase().split('-')[0] ?? '';

/** Those of the site's languages that the screen speaks, in the site's order; never empty. */
export function screenLanguages(siteLanguages: readonly string[]): readonly [ScreenLanguage, ...ScreenLanguage[]] {
  const [first, ...others] = siteLanguages.flatMap((tag) => {
    const words = builtIn[primaryTag(tag)];
    return words === undefined ? [] : [{ tag, words }];
  });
  return first === undefined ? [{ tag: 'en', words: en }] : [first, ...others];
}

const rightToLeft = new Set(['ar', 'fa', 'he', 'ur', 'yi', 'ps', 'sd', 'ug', 'dv']);

/** Which way a language is written. */
export const direction = (tag: string) => (rightToLeft.has(primaryTag(tag)) ? 'rtl' : 'ltr');

/** Making a formatter costs some 30 µs, and using it one. */
function remembered<T>(make: (key: string) => T): (key: string) => T {
  const made = new Map<string, T>();
  return (key) => {
    const known = made.get(key);
    if (known !== undefined) return known;
    const fresh = make(key);
    // Languages, units and time zones come from the policy, and so are few.
    if (made.size < 1000) made.set(key, fresh);
    return fresh;
  };
}

const unitFormat = remembered((key) => {
  const [tag, unit] = key.split(' ') as [string, string];
  return new Intl.NumberFormat(tag, { style: 'unit', unit, unitDisplay: 'long' });
});

const dateFormat = remembered((key) => {
  const [tag, timeZone, hasTime] = key.split(' ') as [string, string, string?];
  const time = hasTime === undefined ? {} : { timeStyle: 'short' as const };
  return new Intl.DateTimeFormat(tag, { dateStyle: 'long', ...time, timeZone });
});

const clockFormat = remembered(
  (timeZone) => new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', hourCycle: 'h23', timeZone }),
);

/** A span of time in words of a language: `30 days`, `12 Stunden`. */
export function spanWords(seconds: number, tag: string): string {
  const [count, unit] =
    seconds % 86_400 === 0
      ? [seconds / 86_400, 'day']
      : seconds % 3600 === 0
        ? [seconds / 3600, 'hour']
        : seconds > 90
          ? [Math.ceil(seconds / 60), 'minute']
          : [seconds, 'second'];
  return unitFormat(`${tag} ${unit}`).format(count);
}

/**
 * A moment in words of a language, its seconds since 1970 read in a time zone. The beginning of a day is
 * told as that day: nobody opens at 12:00 AM.
 */
export function momentWords(seconds: number, tag: string, timeZone: string): string {
  const at = seconds * 1000;
  const isMidnight = clockFormat(timeZone).format(at) === '00:00';
  return dateFormat(`${tag} ${timeZone}${isMidnight ? '' : ' time'}`).format(at);
}
