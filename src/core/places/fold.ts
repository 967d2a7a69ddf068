/** How the site reads an address; the part of `site` in the policy that spellings depend on. */
export interface PlaceRules {
  /** File names a folder answers with, such as `index.html`. */
  readonly indexFiles: readonly string[];
  /** File endings an address may leave out, with their dot, such as `.html`. */
  readonly extensions: readonly string[];
  /** Whether `/About` and `/about` are two places. @default false */
  readonly caseSensitive: boolean;
}

// Code points that file systems and text comparison skip: soft hyphen, joiners, byte order mark.
const ignorable = /\p{Default_Ignorable_Code_Point}/gu;
const nonAscii = /[^\x00-\x7f]/;
/** A dot above that letter, as lowering İ leaves it: some servers lower that to a plain i. */
const dottedI = /(?<=i)\u0307/g;

/**
 * One path part in the form in which parts are compared: compatibility-composed (Unicode NFKC),
 * without ignorable characters and, unless the site tells cases apart, case-folded.
 *
 * It may join parts that a server would keep apart, and never the other way round: to treat two
 * spellings as one place is safe for a lock, to treat one place as two is not.
 */
export function foldPart(part: string, caseSensitive: boolean): string {
  if (!nonAscii.test(part)) return caseSensitive ? part : part.toLowerCase();
  let folded = part;
  // Each step can make work for the others; a few rounds and nothing changes any more.
  for (let round = 0; round < maxRounds; round++) {
    const before = folded;
    folded = folded.normalize('NFKC').replace(ignorable, '');
    if (!caseSensitive) folded = foldCase(folded).normalize('NFKC').replace(dottedI, '');
    if (folded === before) break;
  }
  return folded;
}

const maxRounds = 8;

/**
 * Full case folding, letter by letter: what JavaScript makes of a whole word depends on the letters
 * beside (a Σ at its end is lowered to ς). Lower, upper, lower is a fuller fold than lower alone: it
 * joins ẞ with ss, ſ with s, ς with σ and ı with i.
 */
function foldCase(text: string): string {
  let folded = '';
  for (const letter of text) {
    for (const lower of letter.toLowerCase()) {
      for (const upper of lower.toUpperCase()) folded += upper.toLowerCase();
    }
  }
  return folded;
}

/** The part without the endings an address may leave out; `about.html` and `about` are one. */
export function withoutExtension(part: string, rules: PlaceRules): string {
  let kept = part;
  for (;;) {
    const ending = rules.extensions.find((end) => kept.length > end.length && kept.endsWith(end));
    if (ending === undefined) return kept;
    kept = kept.slice(0, -ending.length);
  }
}

/** The rules with their own words folded, so that comparing is plain string equality. */
export function foldRules(rules: PlaceRules): PlaceRules {
  const fold = (text: string) => foldPart(text, rules.caseSensitive);
  return {
    indexFiles: rules.indexFiles.map(fold),
    extensions: rules.extensions.map(fold),
    caseSensitive: rules.caseSensitive,
  };
}
