import { de } from './words/de.js';
import { en } from './words/en.js';
import { fr } from './words/fr.js';
import type { ScreenWords } from './words/type.js';

const builtIn: Readonly<Record<string, ScreenWords>> = { en, fr, de };

/** A language of the screen: its tag (BCP 47) and its words. */
export interface ScreenLanguage {
  readonly tag: string;
  readonly words: ScreenWords;
}

/** Those of the site's languages that the screen speaks, in the site's order; never empty. */
export function screenLanguages(
  siteLanguages: readonly string[],
): readonly [ScreenLanguage, ...ScreenLanguage[]] {
  const [first, ...others] = siteLanguages.flatMap((tag) => {
    const words = builtIn[tag.toLowerCase().split('-')[0] ?? ''];
    return words === undefined ? [] : [{ tag, words }];
  });
  return first === undefined ? [{ tag: 'en', words: en }] : [first, ...others];
}

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
  return new Intl.NumberFormat(tag, { style: 'unit', unit, unitDisplay: 'long' }).format(count);
}
