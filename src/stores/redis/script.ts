import { createHash } from 'node:crypto';
import { ask, type RedisClient } from './client.js';

/**
 * A Lua script, which Redis runs whole before anything else. It is named by its digest, and sent where it
 * is not known there yet: at first, and after a restart.
 *
 * @returns asks for it, with keys and other values
 */
export function script(text: string) {
  const digest = createHash('sha1').update(text).digest('hex');
  return async (client: RedisClient, keys: readonly string[], ...values: (string | number)[]): Promise<unknown> => {
    const rest = [keys.length, ...keys, ...values];
    try {
      return await ask(client, 'EVALSHA', digest, ...rest);
    } catch (error) {
      const { cause } = error as Error;
      if (!(cause instanceof Error) || !cause.message.startsWith('NOSCRIPT')) throw error;
      return ask(client, 'EVAL', text, ...rest);
    }
  };
}
