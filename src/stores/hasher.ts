import type { Algorithm } from '@node-rs/argon2';
import { pbkdf2 } from '../core/passwords/pbkdf2.js';
import type { PasswordHasher } from '../core/ports.js';
import { hashingQueue } from './hashing-queue.js';

// The Argon2id of @node-rs/argon2's const enum, which cannot be imported file by file.
const argon2id: number = 2;

/**
 * Argon2id by the prebuilt native library, on its own threads, loaded at the first password; PBKDF2 by
 * the platform.
 */
export const nativeHasher: PasswordHasher = async (password, salt, cost) => {
  if (cost.algorithm !== 'argon2id') return pbkdf2(password, salt, cost);
  const { hashRaw } = await import('@node-rs/argon2');
  return hashRaw(password, {
    // eslint-disable-next-line @typescript-eslint/no-unsafe-enum-assignment
    algorithm: argon2id as Algorithm,
    salt,
    memoryCost: cost.memoryKib,
    timeCost: cost.passes,
    parallelism: cost.lanes,
    outputLen: cost.length,
  });
};

/** The queue of all guards of this process: they share its few threads. */
export const sharedHashingQueue = hashingQueue();
