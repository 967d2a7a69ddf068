import type { Answer, Ask, Asker } from './asker.js';
import { bodyOf, factsOf, textOf, type Facts } from './facts.js';
import type { PatrolRecord } from './record.js';
import type { SiteAddresses } from './site-addresses.js';
import { tellingSections, tellingWords } from './telling.js';

/** Asks for an address and says what came of it; what a record holds is not asked again. */
export interface Look {
  /**
   * @param as - who asks, to tell records apart
   * @param telling - what of a page tells: its main part, or some elements
   */
  (as: string, ask: Ask, telling?: Telling): Promise<Facts>;
}

export type Telling = 'page' | ((id: string | undefined, mark: string | undefined) => boolean);

export function makeLook(asker: Asker, site: SiteAddresses, record: PatrolRecord): Look {
  return async (as, ask, telling) => {
    const key = [as, ask.method ?? 'GET', ask.target, ask.headers && JSON.stringify(ask.headers)].filter(Boolean).join(' '); // prettier-ignore
    const known = record.get(key);
    if (known !== undefined) return known;
    const answer = await asker.ask(ask);
    let facts = await factsOf(ask.target, answer, site);
    if (telling !== undefined) facts = { ...facts, ...tellingOf(ask.target, answer, telling) };
    // What could not be had may be had later.
    if (facts.seen !== 'failed') record.put(key, facts);
    return facts;
  };
}

function tellingOf(
  target: string,
  answer: Answer,
  telling: Telling,
): Pick<Facts, 'telling' | 'hasMain'> {
  const { body, kind } = bodyOf(target, answer);
  if (kind !== 'page') return {};
  const text = textOf(body, answer.headers['content-type'] ?? '');
  if (telling !== 'page') return { telling: tellingSections(text, telling), hasMain: true };
  const { words, hasMain } = tellingWords(text);
  return { telling: words, hasMain };
}
