/** What pages ask the worker. */
export type Asked =
  /** How an area stands: whether it is open, and if not, which lock is to be opened next. */
  | { readonly ask: 'look'; readonly area: string }
  /** Tries a password, or the secret of a link, at a lock; at a page, also at those that would do instead. */
  | {
      readonly ask: 'unlock';
      readonly lock: string;
      readonly area?: string | undefined;
      readonly password: string;
      readonly stay: boolean;
    }
  | { readonly ask: 'leave' };

export interface Answered {
  /** Whether the area is open; without one, whether the password opened anything. */
  readonly isOpen: boolean;
  /** The lock to be opened next, where it is not. */
  readonly next?: string | undefined;
  /** The lock that a password has opened. */
  readonly opened?: string | undefined;
  /** Where so many wrong passwords lead, once there were so many. */
  readonly elsewhere?: string | undefined;
  /** Where one lands who has opened it. */
  readonly after?: string | undefined;
  /** All that is open. */
  readonly open: readonly string[];
  /** The mark of this visit, for a cookie that ends with it. */
  readonly visit?: string | undefined;
  /** Whether the site could not be read: nothing can be said of any lock then. */
  readonly isBroken?: true | undefined;
}

/** Told to all pages of the site, in every tab. */
export interface Told {
  readonly open: readonly string[];
  readonly visit?: string | undefined;
}
