import { primaryTag } from './language-words.js';

/** A text of a design: one for all languages, or one for each. */
export type Written = string | Readonly<Record<string, string>> | undefined;

/** What is written for one language, and nothing for another. */
export function textIn(written: Written, tag: string, ownTag: string): string {
  if (written === undefined) return '';
  if (typeof written === 'string') return tag === ownTag ? written : '';
  const found = Object.entries(written).find(([one]) => one.toLowerCase() === tag.toLowerCase());
  const near = Object.entries(written).find(([one]) => primaryTag(one) === primaryTag(tag));
  return (found ?? near)?.[1] ?? '';
}

/**
 * The same text with other words in one language. In the site’s own alone it is one text for all, as long as no
 * other has words of its own; without any words it is gone.
 */
export function withText(written: Written, tag: string, ownTag: string, words: string): Written {
  const map: Record<string, string> =
    typeof written === 'string' ? { [ownTag]: written } : written === undefined ? {} : { ...written };
  const key =
    Object.keys(map).find((one) => one.toLowerCase() === tag.toLowerCase()) ??
    Object.keys(map).find((one) => primaryTag(one) === primaryTag(tag)) ??
    tag;
  if (words === '') Reflect.deleteProperty(map, key);
  else map[key] = words;
  const [only, ...more] = Object.keys(map);
  if (only === undefined) return undefined;
  return more.length === 0 && only === ownTag && typeof written !== 'object' ? map[only] : map;
}

/** The languages of a site that a text has no words in, though it has some in another. */
export function untranslated(written: Written, languages: readonly string[], ownTag: string): readonly string[] {
  if (written === undefined) return [];
  return languages.filter((tag) => textIn(written, tag, ownTag) === '');
}
