import type { Answer } from './asker.js';
import { bodyOf, factsOf, textOf, type Facts } from './facts.js';
import { fingerprintOf } from './pictures.js';
import type { SiteAddresses } from './site-addresses.js';
import { tellingSections, tellingWords, type Telling } from './telling.js';

/** All facts of an answer, with what tells of the page where that is asked for. */
export async function readAnswer(
  target: string,
  answer: Answer,
  site: SiteAddresses,
  telling: Telling | undefined,
): Promise<Facts> {
  const facts = factsOf(target, answer, site);
  if (telling === undefined) return facts;
  // To look at a picture takes longer than to read a page, so only where one is to be compared.
  if (facts.kind === 'picture') return { ...facts, picture: await fingerprintOf(answer.body) };
  return { ...facts, ...tellingOf(target, answer, telling) };
}

function tellingOf(target: string, answer: Answer, telling: Telling): Pick<Facts, 'telling' | 'hasMain'> {
  const { body, kind } = bodyOf(target, answer);
  if (kind !== 'page') return {};
  const text = textOf(body, answer.headers['content-type'] ?? '');
  if (telling !== 'whole') return { telling: tellingSections(text, telling), hasMain: true };
  const { words, hasMain } = tellingWords(text);
  return { telling: words, hasMain };
}
