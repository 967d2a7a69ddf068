import type { Budget } from '../guessing/budget.js';
import type { HashAlgorithm } from '../passwords/phc.js';
import type { ScreenDocument } from '../screen/design/document.js';

/** How long a pass lasts. */
export type Remember =
  | { readonly kind: 'visit' }
  | { readonly kind: 'span'; readonly seconds: number }
  /** The visitor is offered to stay unlocked for that long; else it is for this visit. */
  | { readonly kind: 'choice'; readonly seconds: number };

/** What those get who are not let in: the screen, "not found", a closed notice, or another page. */
export type Outsiders = 'screen' | 'not-found' | 'closed' | { readonly redirect: string };

/** Where visitors sign in, and in which parameter that is told where to lead back to. */
export interface SignIn {
  readonly to: string;
  readonly returnAs: string;
}

/** `site` of a policy, every default filled in. */
export interface SiteDocument {
  /** The name that visitors know it by. */
  readonly name: string;
  /** What passes and entry links are bound to; without it, the origin or the name. */
  readonly id?: string | undefined;
  /** Scheme and host of the live site. */
  readonly origin?: string | undefined;
  /** Other hosts of the owner's, to which visitors may be sent. */
  readonly hosts: readonly string[];
  /** The folder of the finished files, seen from the policy file. */
  readonly folder?: string | undefined;
  /** An IANA time zone, in which dates and times are read and printed. */
  readonly timeZone: string;
  /** What a folder answers with. */
  readonly indexFiles: readonly string[];
  /** Endings that an address may leave out. */
  readonly extensions: readonly string[];
  /** Whether `/About` and `/about` are two places. */
  readonly caseSensitive: boolean;
  readonly sitemaps: readonly string[];
  readonly feeds: readonly string[];
  /** In which the screen may speak (BCP 47); the first is the fallback. */
  readonly languages: readonly string[];
  /** Addresses and ranges whose word about the visitor's address and scheme is believed. */
  readonly trustedProxies: readonly string[];
  /** Whether visitors may ask for their own address. */
  readonly showAddress: boolean;
  /** How new passwords are hashed. */
  readonly hash: HashAlgorithm;
  /** Whether pages are looked through for sections that their authors have marked. */
  readonly marks: boolean;
  /** Whether those let in by a bypass see a bar that says so. */
  readonly ribbon: boolean;
  /** Where Dorlin's own addresses lie. */
  readonly prefix: string;
}

/** When something counts, as it is written. */
export interface WindowDocument {
  readonly from?: string | undefined;
  readonly until?: string | undefined;
}

/** A password as it stands in a policy. */
export interface PasswordDocument extends WindowDocument {
  readonly id: string;
  /** Whom it is for; the user name of HTTP Basic. */
  readonly label: string;
  /** An argon2id hash as a PHC string, or a bcrypt or apr1 hash from an htpasswd file. */
  readonly hash: string;
}

/** An entry link as it stands in a policy. */
export interface LinkDocument {
  readonly id: string;
  readonly label: string;
  readonly from?: string | undefined;
  readonly until: string;
  /** Where it lands; else as `after` says. */
  readonly to?: string | undefined;
  /** How many browsers it may let in; without it, any number. */
  readonly uses?: number | undefined;
}

/** A bypass as it stands in a policy. All its conditions must hold. */
export interface BypassDocument extends WindowDocument {
  readonly addresses?: readonly string[] | undefined;
  readonly roles?: readonly string[] | undefined;
  readonly people?: readonly string[] | undefined;
  readonly signedIn?: true | undefined;
  /** Whether it counts at every lock, not only at those that name it. */
  readonly everyLock: boolean;
  /** Whether whom it lets in sees the bar that says so. */
  readonly ribbon: boolean;
}

/** A lock as it stands in a policy, every default filled in. */
export interface LockDocument extends WindowDocument {
  readonly covers: readonly string[];
  readonly except: readonly string[];
  /** What its visitors call it. */
  readonly title?: string | undefined;
  readonly passwords: readonly PasswordDocument[];
  readonly links: readonly LinkDocument[];
  readonly remember: Remember;
  /** The bypasses that count at it, by name. */
  readonly bypass: readonly string[];
  /** Other locks that must be open as well, by name. */
  readonly requires: readonly string[];
  /** The screen that visitors meet; without it, `default`. */
  readonly screen?: string | undefined;
  readonly outsiders: Outsiders;
  /** Where somebody is sent after so many wrong passwords. */
  readonly wrong?: WrongDocument | undefined;
  /** Whether HTTP Basic (RFC 7617) is taken as well; `always` asks everybody in the browser's prompt. */
  readonly basic: boolean | 'always';
  /** Where a right password lands: the `same` place, or this one. */
  readonly after: string;
  readonly enabled: boolean;
}

/** What so many wrong passwords lead to. */
export interface WrongDocument {
  readonly after: number;
  readonly redirect: string;
}

/** How often passwords may be tried. */
export interface GuessingDocument {
  readonly perVisitor: Budget;
  readonly perLock: Budget;
}

/** Who a visitor is, told by a signed token (RFC 7519). */
export interface JwtDocument {
  readonly cookie?: string | undefined;
  /** Whether it may be in `Authorization: Bearer` (RFC 6750). */
  readonly bearer: boolean;
  /** The public keys (RFC 7517): an https address or a file. */
  readonly jwks: string;
  readonly issuer?: string | undefined;
  readonly audience?: string | undefined;
  readonly algorithms: readonly string[];
  /** The claim with the name of the person. */
  readonly person: string;
  /** The claim with the roles, or the way to it: `realm.roles`. */
  readonly roles: string;
}

/** How the guard learns who visitors are. */
export interface IdentityDocument {
  readonly signIn?: SignIn | undefined;
  readonly jwt?: JwtDocument | undefined;
  /** Told by a trusted proxy that has asked. */
  readonly header?:
    | {
        readonly from: 'trustedProxies';
        readonly person?: string | undefined;
        readonly roles?: string | undefined;
      }
    | undefined;
}

/** How letters to visitors are sent, and what is kept of them. */
export interface MailDocument {
  /** Whom letters are from. */
  readonly from?: string | undefined;
  readonly replyTo?: string | undefined;
  /** The mail server (SMTP), where `DORLIN_SMTP` does not name it. */
  readonly server?: string | undefined;
  /** Where addresses are kept, with what was agreed to; a `.jsonl` or `.csv` file. */
  readonly list: string;
  readonly perVisitor: Budget;
  readonly perLock: Budget;
  readonly perAddress: Budget;
}

/** The record of what happened at the locks. */
export interface JournalDocument {
  readonly file: string;
  readonly addresses: 'masked' | 'none';
  readonly keepSeconds: number;
}

/** A parsed policy; every default is filled in. */
export interface PolicyDocument {
  readonly dorlin: 1;
  readonly site: SiteDocument;
  readonly locks: Readonly<Record<string, LockDocument>>;
  readonly bypasses: Readonly<Record<string, BypassDocument>>;
  readonly identity?: IdentityDocument | undefined;
  readonly guessing: GuessingDocument;
  readonly screens: Readonly<Record<string, ScreenDocument>>;
  readonly mail: MailDocument;
  readonly patrol: PatrolDocument;
  readonly journal?: JournalDocument | undefined;
}

/** The patrol that runs by itself every night. */
export interface PatrolDocument {
  /** A time of the day, `03:00`, in the time zone of the site. */
  readonly nightly?: string | undefined;
  /** Where it walks, where that is not the server that runs it. */
  readonly url?: string | undefined;
  /** Who is sent a letter when something leaks. */
  readonly mail: readonly string[];
}
