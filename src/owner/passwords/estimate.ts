import { bitsOfWords } from '../../core/passwords/generate.js';
import { ZxcvbnFactory } from '@zxcvbn-ts/core';
import { adjacencyGraphs, dictionary as commonDictionary } from '@zxcvbn-ts/language-common';
import { dictionary as englishDictionary, translations } from '@zxcvbn-ts/language-en';
import type { GuessEstimator } from '../../core/passwords/strength.js';

const factory = new ZxcvbnFactory({
  dictionary: { ...commonDictionary, ...englishDictionary },
  graphs: adjacencyGraphs,
  translations,
});

/** Estimates guesses by patterns: words, names, dates, keyboard runs, and the site's own words. */
export const estimateGuesses: GuessEstimator = (password, siteWords) => {
  const { guessesLog10, feedback } = factory.check(password, [...siteWords]);
  const bits = bitsOfWords(password);
  const byWords = bits === undefined ? Infinity : bits * Math.log10(2);
  return { guessesLog10: Math.min(guessesLog10, byWords), warning: feedback.warning ?? undefined };
};
