import type { Budget } from './guessing/budget.js';
import type { Policy } from './policy/types.js';

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

/**
 * Counts how often an entry link was used. Must outlive a restart, or the link could be used anew.
 */
export interface LinkUses {
  /**
   * Takes one use, unless `uses` were taken before. Atomic, as {@link Counters} are.
   *
   * @param policy - whose link it is: links of two sites may have one name
   */
  take(link: string, uses: number, policy: Policy): Promise<boolean>;
}

/** A letter to a visitor, in plain text. */
export interface Letter {
  readonly to: string;
  readonly subject: string;
  readonly text: string;
}

/** What is kept of a visitor's request. */
export interface RequestEntry {
  /** When, as RFC 3339 in UTC. */
  readonly at: string;
  readonly lock: string;
  readonly address: string;
  /** The language (BCP 47) in which the visitor was asked. */
  readonly language: string;
  /** What the visitor agreed to, word by word. */
  readonly consent: string;
  readonly gives: 'password' | 'link' | 'nothing';
  /** Whether the letter went out. */
  readonly sent: boolean;
}

/** Sends visitors what they ask for, and keeps a list of them; of each site by its policy. */
export interface RequestDesk {
  /** Rejects where the letter could not be handed to a mail server. */
  send(letter: Letter, policy: Policy): Promise<void>;
  /** A password itself; undefined where it cannot be looked up. */
  recall(lock: string, id: string, policy: Policy): Promise<string | undefined>;
  keep(entry: RequestEntry, policy: Policy): Promise<void>;
}
