import { base64url } from 'jose';
import type { Argon2Cost, HashCost, Pbkdf2Cost } from '../ports.js';

/** A password's hash with what is needed to compute it again. */
export interface PasswordHash {
  readonly salt: Uint8Array;
  readonly cost: HashCost;
  readonly hash: Uint8Array;
}

/** How passwords can be hashed. */
export type HashAlgorithm = 'argon2id' | 'pbkdf2-sha512';

/** All of them; the first is what is used unless the policy says otherwise. */
export const hashAlgorithms = ['argon2id', 'pbkdf2-sha512'] as const satisfies readonly HashAlgorithm[];

/**
 * The cost of new hashes. Argon2id: 19 MiB and two passes, about 20 ms of one core. PBKDF2: 210,000
 * rounds, as much as anything may take that is computed while a visitor waits in a runtime that has
 * nothing better.
 */
export const defaultCosts: Readonly<Record<HashAlgorithm, HashCost>> = {
  argon2id: { algorithm: 'argon2id', memoryKib: 19_456, passes: 2, lanes: 1, length: 32 },
  'pbkdf2-sha512': { algorithm: 'pbkdf2-sha512', rounds: 210_000, length: 32 },
};

// Upper bounds, so that a policy cannot make one guess take minutes or gigabytes.
const most = { memoryKib: 1_048_576, passes: 16, lanes: 16, rounds: 10_000_000 };
/** Fewer would be guessed too quickly to be called a hash of a password. */
const leastRounds = 10_000;

const shape =
  /^\$(?:argon2id\$v=19\$m=(\d{1,7}),t=(\d{1,2}),p=(\d{1,2})|pbkdf2-sha512\$i=(\d{1,8}))\$([A-Za-z0-9+/]{11,86})\$([A-Za-z0-9+/]{22,86})$/;

/**
 * Reads a PHC string (`$argon2id$v=19$m=…,t=…,p=…$salt$hash` or `$pbkdf2-sha512$i=…$salt$hash`, base64
 * without padding). Answers undefined for anything else.
 */
export function parsePhc(text: string): PasswordHash | undefined {
  const found = shape.exec(text);
  if (found === null) return undefined;
  const [, memory, passes, lanes, rounds, salt, hash] = found;
  if (salt === undefined || hash === undefined) return undefined;
  const bytes = fromBase64(hash);
  const { length } = bytes;
  const cost =
    rounds === undefined
      ? argon2Cost({ memoryKib: Number(memory), passes: Number(passes), lanes: Number(lanes), length })
      : pbkdf2Cost({ rounds: Number(rounds), length });
  return cost && { salt: fromBase64(salt), cost, hash: bytes };
}

function argon2Cost(cost: Omit<Argon2Cost, 'algorithm'>): HashCost | undefined {
  const isSane =
    cost.lanes >= 1 &&
    cost.passes >= 1 &&
    cost.memoryKib >= 8 * cost.lanes &&
    cost.memoryKib <= most.memoryKib &&
    cost.passes <= most.passes &&
    cost.lanes <= most.lanes;
  return isSane ? { algorithm: 'argon2id', ...cost } : undefined;
}

function pbkdf2Cost(cost: Omit<Pbkdf2Cost, 'algorithm'>): HashCost | undefined {
  const isSane = cost.rounds >= leastRounds && cost.rounds <= most.rounds;
  return isSane ? { algorithm: 'pbkdf2-sha512', ...cost } : undefined;
}

/** Writes a PHC string; the inverse of {@link parsePhc}. */
export function formatPhc({ salt, cost, hash }: PasswordHash): string {
  return `$${termsOf(cost)}$${toBase64(salt)}$${toBase64(hash)}`;
}

/** Whether two costs are the same in all their terms. */
export const isSameCost = (one: HashCost, other: HashCost) =>
  one.length === other.length && termsOf(one) === termsOf(other);

const termsOf = (cost: HashCost) =>
  cost.algorithm === 'argon2id'
    ? `argon2id$v=19$m=${cost.memoryKib},t=${cost.passes},p=${cost.lanes}`
    : `pbkdf2-sha512$i=${cost.rounds}`;

// jose speaks base64url; PHC strings are plain base64 without padding.
const fromBase64 = (text: string) => base64url.decode(text.replaceAll('+', '-').replaceAll('/', '_'));
const toBase64 = (bytes: Uint8Array) => base64url.encode(bytes).replaceAll('-', '+').replaceAll('_', '/');
