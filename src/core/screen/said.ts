import type { TextKey } from './design/text-keys.js';
import type { Texts } from './design/parts.js';
import { escapeHtml } from './html.js';
import { direction, primaryTag, type ScreenLanguage } from './languages.js';
import type { Screen } from './screen.js';
import type { ScreenWords } from './words/type.js';

/** A text in a language, and which, where it is another than that of the screen. */
export interface Said {
  readonly text: string;
  readonly language: string | undefined;
  /** Which way it is written, where that is another way than the screen's. */
  readonly direction?: 'ltr' | 'rtl' | undefined;
}

/** A text in one language on a screen in another, or in the same. */
function saidIn(text: string, language: string, tag: string): Said {
  if (primaryTag(language) === primaryTag(tag)) return { text, language: undefined };
  const turned = direction(language);
  return { text, language, direction: turned === direction(tag) ? undefined : turned };
}

/**
 * What an owner has written, for a language. What is there by language is looked for by the whole
 * tag, then by its first part; a text for all is in the first language of the site.
 */
export function ownSaid(written: Texts | undefined, tag: string, ownTag: string): Said | undefined {
  if (written === undefined) return undefined;
  if (typeof written === 'string') return saidIn(written, ownTag, tag);
  const entries = Object.entries(written);
  const found =
    entries.find(([one]) => one.toLowerCase() === tag.toLowerCase()) ??
    entries.find(([one]) => primaryTag(one) === primaryTag(tag));
  return found === undefined ? undefined : { text: found[1], language: undefined };
}

/** The same, with what is there in another language rather than nothing. */
export function anySaid(written: Texts, tag: string, ownTag: string): Said {
  const own = ownSaid(written, tag, ownTag);
  if (own !== undefined || typeof written === 'string') return own ?? { text: '', language: undefined };
  const [first] = Object.entries(written);
  return first === undefined ? { text: '', language: undefined } : saidIn(first[1], first[0], tag);
}

/** Says the texts of a screen in a language: the owner's, else those that are built in. */
export function sayer(screen: Screen, { tag, words }: ScreenLanguage) {
  return (key: TextKey & keyof ScreenWords): Said =>
    ownSaid(screen.design.text[key], tag, screen.ownTag) ?? {
      text: words[key],
      language: undefined,
    };
}

/** The attribute that says in which language an element is, with its space. */
export const languageOf = ({ language, direction: turned }: Said) =>
  language === undefined ? '' : ` lang="${escapeHtml(language)}"${turned === undefined ? '' : ` dir="${turned}"`}`;
