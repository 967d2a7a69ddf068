import type { Policy } from '../core/policy/types.js';
import type { Bytes } from '../core/sealing/bytes.js';

/** What a lock is sealed for. */
export interface SealedFor {
  readonly id: string;
  /** A password, or the secret of a link. */
  readonly password: string;
}

export interface SealOrder {
  readonly policy: Policy;
  readonly policyFile: string;
  readonly folder: string;
  readonly out: string;
  /** Where the site will lie on its host, with a slash at both ends. */
  readonly base: string;
  /** In seconds since 1970. */
  readonly now: number;
  readonly lockKeys: ReadonlyMap<string, Bytes>;
  readonly openers: ReadonlyMap<string, readonly SealedFor[]>;
  /** What is kept beside the policy for screens, by path on the site. */
  readonly screenFiles: ReadonlyMap<string, Uint8Array>;
  /** Rounds of PBKDF2. @default 600,000 */
  readonly rounds?: number | undefined;
  readonly progress?: ((done: number, all: number) => void) | undefined;
}

/** What was written. */
export interface SealedResult {
  readonly files: number;
  readonly pages: number;
  /** Sealed files, and how many of them were sealed anew. */
  readonly sealed: number;
  readonly anew: number;
  readonly parts: number;
  /** What nothing that is sealed opens, and so stays at home. */
  readonly kept: readonly string[];
  /** Sitemaps, feeds and pages that are not as they were. */
  readonly changed: readonly string[];
  /** What the owner should know, and of which files. */
  readonly notes: readonly { readonly what: string; readonly paths: readonly string[] }[];
  /** Openers of the last keyrings that are in these no more: who had one may have kept the key that still counts. */
  readonly keepOldKey: readonly { readonly lock: string; readonly id: string }[];
  readonly removed: number;
}
