import type { Ask, Asker } from './asker.js';
import type { Facts } from './facts.js';
import type { Reader } from './reader.js';
import type { PatrolRecord } from './record.js';
import type { Telling } from './telling.js';

/** Asks for an address and says what came of it; what a record holds is not asked again. */
export interface Look {
  /**
   * @param as - who asks, to tell records apart
   * @param telling - what of a page tells: its main part, or some elements
   */
  (as: string, ask: Ask, telling?: Telling): Promise<Facts>;
}

export function makeLook(asker: Asker, reader: Reader, record: PatrolRecord): Look {
  return async (as, ask, telling) => {
    // What opens a lock is not written down.
    const { authorization, ...plain } = ask.headers ?? {};
    const headers = Object.keys(plain).length > 0 ? JSON.stringify(plain) : authorization && 'with credentials';
    const key = [as, ask.method ?? 'GET', ask.target, headers].filter(Boolean).join(' ');
    const known = record.get(key);
    if (known !== undefined) return known;
    const facts = await reader.read(ask.target, await asker.ask(ask), telling);
    // What could not be had may be had later.
    if (facts.seen !== 'failed') record.put(key, facts);
    return facts;
  };
}
