/** Repeatable random numbers, for benches and where fast-check hands over one seed. */
export interface Random {
  /** A whole number from 0 up to but not including the limit. */
  below(limit: number): number;
  chance(): boolean;
}

export function seededRandom(seed: number): Random {
  let state = seed | 0;
  const next = () => {
    state = (state + 0x6d2b79f5) | 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return (mixed ^ (mixed >>> 14)) >>> 0;
  };
  return { below: (limit) => next() % limit, chance: () => next() % 2 === 0 };
}
