/**
 * A delay before a try that is not allowed is told so: whoever sends guess after guess then waits
 * most of the time, and everybody else's pages do not wait behind the guesses.
 *
 * @param milliseconds - how long. @default 1000
 * @param atOnce - how many may be waiting; beyond that the answer comes at once, as each holds a
 * connection. @default 1000
 */
export function refusalDelay(milliseconds = 1000, atOnce = 1000): () => Promise<void> {
  let waiting = 0;
  return async () => {
    if (waiting >= atOnce) return;
    waiting++;
    await new Promise((resolve) => setTimeout(resolve, milliseconds));
    waiting--;
  };
}

/** The delay of all guards of this process: as many connections wait in it as one may hold. */
export const sharedRefusalDelay = refusalDelay();
