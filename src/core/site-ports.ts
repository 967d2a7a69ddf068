import type { Policy } from './policy/types.js';

/** Ports that are handed in as those of `ports.ts` are, and are asked by the policy of a site. */

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
