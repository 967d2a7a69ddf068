import { once } from 'node:events';
import type { Forgotten } from '../owner/passwords/recalled.js';
import { printError } from './output.js';

/**
 * Waits for Ctrl-C or an order to end, and says which. To be called before anything is started, so that
 * one that comes early does not kill what should be ended cleanly.
 */
export async function untilTold(): Promise<'SIGINT' | 'SIGTERM'> {
  return Promise.race([
    once(process, 'SIGINT').then(() => 'SIGINT' as const),
    once(process, 'SIGTERM').then(() => 'SIGTERM' as const),
  ]);
}

/** Says so where the text of what ended could not be forgotten. */
export function printForgotten({ notForgotten }: Forgotten): void {
  if (notForgotten === undefined) return;
  printError(`The policy is changed, but the text of what ended was not forgotten.\n${notForgotten}`);
}
