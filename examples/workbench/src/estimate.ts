import { ZxcvbnFactory } from '@zxcvbn-ts/core';
import { adjacencyGraphs, dictionary as commonDictionary } from '@zxcvbn-ts/language-common';
import { dictionary as englishDictionary, translations } from '@zxcvbn-ts/language-en';
import type { GuessEstimator } from 'dorlin';

const factory = new ZxcvbnFactory({
  dictionary: { ...commonDictionary, ...englishDictionary },
  graphs: adjacencyGraphs,
  translations,
});

export const estimateGuesses: GuessEstimator = (password, siteWords) => {
  const { guessesLog10, feedback } = factory.check(password, [...siteWords]);
  return { guessesLog10, warning: feedback.warning ?? undefined };
};
