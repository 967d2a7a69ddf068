import { once } from 'node:events';

/**
 * Waits for Ctrl-C or an order to end. To be called before anything is started, so that one that
 * comes early does not kill what should be ended cleanly.
 */
export async function untilTold(): Promise<void> {
  await Promise.race([once(process, 'SIGINT'), once(process, 'SIGTERM')]);
}
