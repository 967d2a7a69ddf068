export const primaryTag = (tag: string): string => tag.toLowerCase().split('-')[0] ?? '';

const inEnglish = new Intl.DisplayNames('en', { type: 'language' });

/** What a language is called. */
export const languageName = (tag: string): string => inEnglish.of(tag) ?? tag;

/** Some languages in few words. */
export const languagesWords = (tags: readonly string[]): string =>
  tags.length > 3
    ? `${tags.slice(0, 2).map(languageName).join(', ')} and ${tags.length - 2} more`
    : tags.map(languageName).join(', ');
