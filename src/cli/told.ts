import type { Forgotten } from '../owner/passwords/recalled.js';
import { printError } from './output.js';

/**
 * Waits for Ctrl-C or an order to end, and says which. To be called before anything is started, so that
 * one that comes early does not kill what should be ended cleanly. A second Ctrl-C ends the process at once.
 *
 * The listeners stay: whoever writes a file whole listens meanwhile too, and kills the process where it finds
 * itself alone, as it would after one that listens once.
 */
export function untilTold(): Promise<'SIGINT' | 'SIGTERM'> {
  return new Promise((resolve) => {
    let isTold = false;
    const tell = (signal: 'SIGINT' | 'SIGTERM') => {
      if (isTold && signal === 'SIGINT') process.exit(130);
      isTold = true;
      resolve(signal);
    };
    process.on('SIGINT', tell);
    process.on('SIGTERM', tell);
  });
}

/** Says so where the text of what ended could not be forgotten. */
export function printForgotten({ notForgotten }: Forgotten): void {
  if (notForgotten === undefined) return;
  printError(`The policy is changed, but the text of what ended was not forgotten.\n${notForgotten}`);
}
