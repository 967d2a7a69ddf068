import type { Budget } from './guessing/budget.js';

/**
 * What the core and the guard are handed from outside. Each has a default in `dorlin/node`, for one
 * machine and with nothing to install.
 */

/** The present moment in whole or broken seconds since 1970-01-01T00:00Z. */
export type Clock = () => number;

/** So many unpredictable bytes. */
export type RandomBytes = (count: number) => Uint8Array;

/** What one argon2id run costs, in the terms of RFC 9106 section 3.1. */
export interface Argon2Cost {
  readonly algorithm: 'argon2id';
  /** Memory, in KiB (`m`). */
  readonly memoryKib: number;
  /** Number of passes (`t`). */
  readonly passes: number;
  /** Degree of parallelism (`p`). */
  readonly lanes: number;
  /** Length of the hash, in bytes. */
  readonly length: number;
}

/** What one run of PBKDF2 with HMAC-SHA-512 costs (RFC 8018 section 5.2). */
export interface Pbkdf2Cost {
  readonly algorithm: 'pbkdf2-sha512';
  /** How often HMAC is run (`i`). */
  readonly rounds: number;
  /** Length of the hash, in bytes. */
  readonly length: number;
}

export type HashCost = Argon2Cost | Pbkdf2Cost;

/** Runs argon2id, version 1.3 (RFC 9106), or PBKDF2, as the cost says; off the event loop where that can be. */
export type PasswordHasher = (password: string, salt: Uint8Array, cost: HashCost) => Promise<Uint8Array>;

/** Whether a password fits a bcrypt or apr1 hash, found out off the event loop where it is slow. */
export type HashVerifier = (password: string, hash: string) => Promise<boolean>;

/** What came of taking one from a counter. */
export interface Taken {
  readonly isAllowed: boolean;
  /** Seconds until the counter begins anew. */
  readonly waitSeconds: number;
}

/**
 * Counts tries. Taking is atomic: of any number of calls at the same moment, no more are allowed
 * than the budget has left.
 */
export interface Counters {
  take(key: string, budget: Budget): Promise<Taken>;
  /** Gives one back that turned out not to count. */
  giveBack(key: string, budget: Budget): Promise<void>;
}
