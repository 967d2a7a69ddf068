const atOnce = 16;

/** Does some work for all of a list, a few at a time. */
export async function inTurns<T, R>(all: readonly T[], work: (one: T) => R | Promise<R>): Promise<R[]> {
  const results = new Array<R>(all.length);
  let next = 0;
  const go = async () => {
    for (let at = next++; at < all.length; at = next++) {
      results[at] = await work(all[at] as T);
      // What is read and written at once leaves nobody else a turn: a progress bar, Ctrl-C.
      if (at % 64 === 0) await new Promise(setImmediate);
    }
  };
  await Promise.all(Array.from({ length: Math.min(atOnce, all.length) }, go));
  return results;
}
