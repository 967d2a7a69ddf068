import type { PasswordHasher } from '../core/ports.js';

// The Argon2id of @node-rs/argon2's const enum, which cannot be imported file by file.
const argon2id = 2;

/** Argon2id by the prebuilt native library, on its own threads. Loaded at the first password. */
export const nativeHasher: PasswordHasher = async (password, salt, cost) => {
  const { hashRaw } = await import('@node-rs/argon2');
  return hashRaw(password, {
    algorithm: argon2id,
    salt,
    memoryCost: cost.memoryKib,
    timeCost: cost.passes,
    parallelism: cost.lanes,
    outputLen: cost.length,
  });
};
