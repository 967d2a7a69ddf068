import { normalizePassword } from './normalize.js';
import type { PasswordHasher, RandomBytes } from '../ports.js';
import { defaultCosts, isSameCost, parsePhc, type HashAlgorithm, type PasswordHash } from './phc.js';

/** Longest password, in UTF-16 code units, that is hashed. */
export const maxPasswordLength = 256;

/** Whether two hashes were made with the same salt and cost, so that one run serves both. */
export function sharesSalt(one: PasswordHash, other: PasswordHash): boolean {
  return equalBytes(one.salt, other.salt) && isSameCost(one.cost, other.cost);
}

/**
 * Which of a lock's passwords was typed. One hash is computed however many passwords there are,
 * because they share a salt; and every one is compared in full, so that the time tells nothing.
 */
export async function matchPassword<P extends { readonly parsedHash: PasswordHash }>(
  typed: string,
  passwords: readonly P[],
  hasher: PasswordHasher,
): Promise<P | undefined> {
  const first = passwords[0];
  const password = normalizePassword(typed);
  if (first === undefined || password === '' || password.length > maxPasswordLength) {
    return undefined;
  }
  const { salt, cost } = first.parsedHash;
  const hash = await hasher(password, salt, cost);
  let match: P | undefined;
  for (const candidate of passwords) {
    if (!sharesSalt(candidate.parsedHash, first.parsedHash)) continue;
    if (equalBytes(candidate.parsedHash.hash, hash)) match = candidate;
  }
  return match;
}

/** Hashes a new password of a lock with the salt and cost its other passwords have, or new ones. */
export async function hashPassword(
  password: string,
  others: readonly string[],
  hasher: PasswordHasher,
  random: RandomBytes,
  algorithm: HashAlgorithm = 'argon2id',
): Promise<PasswordHash> {
  const shared = others.map(parsePhc).find((other) => other !== undefined);
  const salt = shared?.salt ?? random(16);
  const cost = shared?.cost ?? defaultCosts[algorithm];
  return { salt, cost, hash: await hasher(normalizePassword(password), salt, cost) };
}

/** Compares without stopping at the first difference. */
export function equalBytes(one: Uint8Array, other: Uint8Array): boolean {
  if (one.length !== other.length) return false;
  let difference = 0;
  one.forEach((byte, at) => (difference |= byte ^ (other[at] ?? 0)));
  return difference === 0;
}
