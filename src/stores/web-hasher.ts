import { pbkdf2 } from '../core/passwords/pbkdf2.js';
import type { PasswordHasher } from '../core/ports.js';

/**
 * Hashes with what every runtime has: PBKDF2 by WebCrypto, off the event loop; argon2id in plain
 * JavaScript, which takes half a second to more than one and the loop with it. Where many visitors
 * type passwords, let the policy say `hash: pbkdf2-sha512`.
 */
export const webHasher: PasswordHasher = async (password, salt, cost) => {
  if (cost.algorithm !== 'argon2id') return pbkdf2(password, salt, cost);
  const { argon2idAsync } = await import('@noble/hashes/argon2.js');
  const { passes, memoryKib, lanes, length } = cost;
  return argon2idAsync(password, salt, { t: passes, m: memoryKib, p: lanes, dkLen: length, version: 0x13 });
};
