import Negotiator from 'negotiator';

/** The language that a visitor reads best, of those there are (RFC 9110 section 12.5.4). */
export function languageFor<L extends { readonly tag: string }>(
  accept: string | undefined,
  languages: readonly [L, ...L[]],
): L {
  if (accept === undefined || languages.length === 1) return languages[0];
  const negotiator = new Negotiator({ headers: { 'accept-language': accept } });
  const tag = negotiator.language(languages.map((language) => language.tag));
  return languages.find((language) => language.tag === tag) ?? languages[0];
}
