import type { ShutReason } from '../core/sections/uncut-words.js';

/** Something that happened at a lock. Never holds a password, a token or a query. */
export type GuardEvent = {
  /** The visitor's address, its last part masked. */
  readonly address: string;
  /** That a patrol of the site's owner did it: only who has the secret can say so. */
  readonly patrol?: true;
} & (
  | { readonly type: 'asked' | 'closed'; readonly lock: string; readonly path: string }
  | { readonly type: 'wrong' | 'waiting' | 'busy'; readonly lock: string }
  | {
      readonly type: 'unlocked';
      readonly lock: string;
      /** The id of the password that was used, and its label. */
      readonly opener: string;
      readonly label: string;
    }
  | {
      readonly type: 'entered';
      readonly lock: string;
      /** The id of the entry link that was used, and its label. */
      readonly opener: string;
      readonly label: string;
    }
  /** A page does not have the section that the policy locks in it; the whole page is shut. */
  | { readonly type: 'section-missing'; readonly lock: string; readonly id: string }
  /** A page that has sections is shut as a whole, as nothing can be cut out of it for certain. */
  | {
      readonly type: 'page-uncut';
      readonly lock: string;
      readonly path: string;
      readonly why: ShutReason;
    }
  /** A visitor left an address, and was sent a letter or could not be. */
  | { readonly type: 'requested'; readonly lock: string }
  | { readonly type: 'request-failed'; readonly lock: string; readonly message: string }
  | { readonly type: 'left' | 'dead-link' }
  | { readonly type: 'refused'; readonly refusal: string }
  | { readonly type: 'failed'; readonly message: string }
);
