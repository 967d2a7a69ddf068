/** How a password would stand up to guessing, and what to say about it. */
export interface Strength {
  /** `guessable`: not even at a door that counts tries. `fair`: there, but not if files leak. */
  readonly verdict: 'guessable' | 'fair' | 'strong';
  /** The number of guesses expected, as a power of ten. */
  readonly guessesLog10: number;
  /** One or two sentences for the owner. */
  readonly words: string;
}

/** An estimator of guesses; answers their logarithm to base 10 and, where it has one, a warning. */
export type GuessEstimator = (
  password: string,
  siteWords: readonly string[],
) => { guessesLog10: number; warning?: string | undefined };

// A door that allows 100 tries an hour sees a million in about a year.
const guessableBelow = 7;
// Offline, argon2id allows some hundred thousand guesses a day and core.
const strongFrom = 11;

/**
 * Judges a password that somebody chose.
 *
 * @param siteWords - words a guesser would try first: the site's name, the lock's, the label
 */
export function judgeStrength(password: string, siteWords: readonly string[], estimate: GuessEstimator): Strength {
  const { guessesLog10, warning } = estimate(password, siteWords);
  const tries = `about ${tenToThe(guessesLog10)} guesses`;
  const because = warning === undefined || warning === '' ? '' : ` ${warning}`;
  if (guessesLog10 < guessableBelow) {
    return {
      verdict: 'guessable',
      guessesLog10,
      words: `Guessable: ${tries} would find it.${because} A few unrelated words are better.`,
    };
  }
  if (guessesLog10 < strongFrom) {
    return {
      verdict: 'fair',
      guessesLog10,
      words: `Fair: ${tries} would find it, more than a guarded door allows.`,
    };
  }
  return { verdict: 'strong', guessesLog10, words: `Strong: ${tries} would be needed.` };
}

const scale = ['1', '10', '100', '1,000', '10,000', '100,000', 'a million', '10 million'];
const largeScale = ['100 million', 'a billion', '10 billion', '100 billion', 'a trillion'];

function tenToThe(exponent: number): string {
  return [...scale, ...largeScale][Math.max(0, Math.round(exponent))] ?? 'more than a trillion';
}
