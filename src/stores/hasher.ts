import type { Algorithm } from '@node-rs/argon2';
import type { PasswordHasher } from '../core/ports.js';

// The Argon2id of @node-rs/argon2's const enum, which cannot be imported file by file.
const argon2id: number = 2;

/** Argon2id by the prebuilt native library, on its own threads. Loaded at the first password. */
export const nativeHasher: PasswordHasher = async (password, salt, cost) => {
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
