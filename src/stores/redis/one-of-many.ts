import { DorlinError } from '../../core/errors.js';
import type { HashCost } from '../../core/ports.js';
import type { Policy } from '../../core/policy/types.js';

/** Longest policy of one site among many, in letters: reading it holds all others up for some 150 ms. */
const mostLetters = 128 * 1024;
/** Costliest hash of one: about ten times what is usual. */
const most = { memoryKib: 65_536, passes: 4, rounds: 2_000_000 };

const isCostly = (cost: HashCost) =>
  cost.algorithm === 'argon2id'
    ? cost.memoryKib > most.memoryKib || cost.passes > most.passes || cost.lanes > 4
    : cost.rounds > most.rounds;

/** @throws DorlinError `source-refused` where a policy is so long that others would wait for it */
export function refuseLong(id: string, text: string): void {
  if (text.length <= mostLetters) return;
  const sizes = `${Math.ceil(text.length / 1024)} KiB, and ${mostLetters / 1024} are the most that one site among many may have`;
  throw new DorlinError('source-refused', `The policy of ${id} has ${sizes}.`, {
    mend: 'Name folders and patterns in the place of many pages, or serve that site by itself (`--site`).',
  });
}

/** @throws DorlinError `source-refused` where trying a password would take what others need */
export function refuseCostly(id: string, { locks }: Policy): void {
  for (const { name, passwords } of locks.values()) {
    const costly = passwords.find(({ parsedHash }) => isCostly(parsedHash.cost));
    if (costly === undefined) continue;
    throw new DorlinError(
      'source-refused',
      `The hash of “${costly.label}”, of the lock ${name} of ${id}, costs too much to try.`,
      {
        mend: 'Give it a new password, or `dorlin password rehash`.',
      },
    );
  }
}
