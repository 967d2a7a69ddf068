import type { JournalEntry } from '../core/journal/entry.js';
import type { LockSummary, OpenerSummary } from '../core/journal/summary.js';
import type { EntryWords } from '../core/journal/words.js';
import type { PatrolDocument } from '../core/policy/document.js';
import type { BypassAdded, BypassRemoved, BypassStanding } from '../owner/bypasses.js';
import type { CheckedKind } from '../owner/check/check.js';
import type { BackResult, DraftDropped, LiveResult } from '../owner/drafts.js';
import type { ExplainResult } from '../owner/explain.js';
import type { PasswordShown } from '../owner/hand-out.js';
import type { InitResult, SiteCandidate } from '../owner/init.js';
import type { ToldStandOut } from '../owner/journal.js';
import type { SettingKey } from '../owner/key-value.js';
import type { LinkListed, LinkRevoked, LinkShown } from '../owner/links.js';
import type { LockStanding } from '../owner/lock-settings.js';
import type { LockResult } from '../owner/locks.js';
import type { SealingStanding } from '../owner/own-sealing.js';
import type { PageParts } from '../owner/page-parts.js';
import type { UsersExported, UsersImported } from '../owner/passwords/htpasswd.js';
import type { ChosenPassword } from '../owner/passwords/new-password.js';
import type {
  PasswordAdded,
  PasswordChanged,
  PasswordListed,
  PasswordRetired,
  PasswordRotated,
} from '../owner/passwords/passwords.js';
import type { PasswordPlan } from '../owner/passwords/plan.js';
import type { FailedNight, PatrolStanding } from '../owner/patrol/kept-patrols.js';
import type { PatrolMended } from '../owner/patrol/own-patrol.js';
import type { Schedule } from '../owner/patrol/schedule.js';
import type {
  Invited,
  InviteRevoked,
  PeopleList,
  PersonListed,
  PersonRemoved,
  SessionsEnded,
} from '../owner/people/people.js';
import type { PersonRole } from '../owner/people/people-file.js';
import type { ReleaseResult } from '../owner/release.js';
import type { RequestList } from '../owner/requests.js';
import type { ReviewResult } from '../owner/review.js';
import type { FileKept, ScreenRemoved, ScreensToDesign } from '../owner/screen-design.js';
import type { ScreenExport } from '../owner/screen-files.js';
import type { ScreenList, ScreenListed } from '../owner/screens.js';
import type { SiteChanged, SiteStanding } from '../owner/site.js';
import type { View } from '../owner/view.js';
import type { DraftStanding } from '../stores/draft.js';
import type { Change } from './changes.js';
import type { LongWork } from './context.js';

/** What an edit gives besides its own result. */
export interface Edited {
  /** It counts at once, and could not be carried into a draft that waits. */
  readonly draftIsBehind?: boolean | undefined;
}

/** A lock with all that opens it. */
export interface LockWithWays extends LockStanding {
  readonly passwordList: readonly PasswordListed[];
  readonly linkList: readonly LinkListed[];
}

/** All ways in: for a keeper, those of their own locks. */
export interface Ways {
  readonly site: string;
  readonly locks: readonly LockWithWays[];
  readonly bypasses: readonly BypassStanding[];
  /** The languages in which a password can be handed out. */
  readonly languages: readonly string[];
  /** What the journal counts, by password and link; missing where none is kept. */
  readonly used?: readonly OpenerSummary[] | undefined;
}

/** The journal as the console shows it. */
export interface Log {
  readonly isKept: boolean;
  readonly days: readonly string[];
  readonly locks: readonly LockSummary[];
  readonly openers: readonly OpenerSummary[];
  readonly standsOut: readonly ToldStandOut[];
  /** The newest, newest first. */
  readonly entries: readonly (JournalEntry & EntryWords)[];
  /** How many there are in all. */
  readonly events: number;
}

/** Where patrols stand. */
export interface PatrolState {
  readonly standing?: PatrolStanding | undefined;
  /** The one that is under way. */
  readonly running?: { readonly url: string } | undefined;
  /** Why the last one did not come to an end. */
  readonly problem?: LongWork['problem'];
  /** Why the last patrol of a night told nothing. */
  readonly failed?: FailedNight | undefined;
  /** What the policy says of patrols every night. */
  readonly nightly: PatrolDocument;
}

/** Where the sealed site stands. */
export interface SealingState extends SealingStanding {
  readonly isRunning: boolean;
  /** Why the last one did not come to an end. */
  readonly problem?: LongWork['problem'];
}

/** What somebody may want to look into before a draft goes live. */
export interface Checked {
  readonly findings: number;
  readonly kinds: readonly (Pick<CheckedKind, 'code' | 'title' | 'why' | 'groups'> & {
    /** Whether the policy that counts has no such finding. */
    readonly isNew: boolean;
  })[];
}

/** What the draft that waits would change. */
export interface Reviewed {
  /** Missing where no draft waits. */
  readonly draft?: DraftStanding | undefined;
  readonly review?: ReviewResult | undefined;
}

/** Who is signed in, and what is known of the site. */
export interface SessionStanding {
  /** Whether there is anybody yet who may come in. */
  readonly isBegun: boolean;
  /** What the site is called. */
  readonly site: string;
  // What follows is for whoever is signed in.
  readonly about?: SiteAbout | undefined;
  readonly person?: PersonListed | undefined;
  /** What every call of this session brings in the header `dorlin-token`. */
  readonly token?: string | undefined;
  /** Of policy and draft. */
  readonly version?: string | undefined;
  readonly draft?: DraftStanding | undefined;
  /** The address of the caller's end of the connection. */
  readonly address?: string | undefined;
  /** Whether the site can be seen through somebody's eyes. */
  readonly hasFrame?: boolean | undefined;
  /** Where the site answers, where it runs beside the console. */
  readonly siteUrl?: string | undefined;
}

/** What is known of the site, or why its policy cannot be read. */
export interface SiteAbout {
  readonly name: string;
  readonly origin?: string | undefined;
  readonly timeZone: string;
  readonly languages: readonly string[];
  readonly hasFolder: boolean;
  /** Whether there is no policy yet. */
  readonly isNew?: boolean | undefined;
  /** What is wrong with the policy, and where. */
  readonly broken?: string | undefined;
}

/** Somebody who has just come in. */
export interface Entered {
  readonly person: PersonListed;
  readonly token: string;
}

/** What an invitation is for. */
export interface InvitedAs {
  readonly role: PersonRole;
  readonly locks: readonly string[];
  /** Who is to come in anew, where it is somebody who is known. */
  readonly name?: string | undefined;
}

/**
 * What every call of the console gives. The schema by which results are checked before they are sent is made
 * from these types, so that nothing leaves that is not named here.
 */
export interface ConsoleResults {
  readonly view: View;
  readonly ways: Ways;
  readonly explain: ExplainResult;
  readonly parts: PageParts;
  readonly play: { readonly origin?: string | undefined };
  readonly 'begin.candidates': { readonly folders: readonly SiteCandidate[] };
  readonly begin: InitResult;
  readonly walk: { readonly addresses: number; readonly isCutShort: boolean };
  readonly 'walk.stop': { readonly isStopped: boolean };
  readonly screens: ScreenList;
  readonly 'screens.design': ScreensToDesign;
  readonly 'screen.export': ScreenExport;
  readonly 'screen.change': ScreenListed & Edited;
  readonly 'screen.remove': ScreenRemoved & Edited;
  readonly 'screen.keep': FileKept;
  readonly journal: Log;
  readonly 'journal.csv': { readonly csv: string };
  readonly patrol: { readonly isStarted: boolean };
  readonly 'patrol.stop': { readonly isStopped: boolean };
  readonly 'patrol.standing': PatrolState;
  readonly 'patrol.mend': PatrolMended & Edited;
  readonly 'patrol.schedule': Schedule;
  readonly seal: { readonly isStarted: boolean };
  readonly 'seal.stop': { readonly isStopped: boolean };
  readonly 'seal.standing': SealingState;
  readonly requests: RequestList;
  readonly changes: { readonly changes: readonly Change[] };
  readonly 'lock.change': LockResult & Edited & { readonly password?: PasswordAdded | undefined };
  readonly release: ReleaseResult & Edited;
  readonly 'bypass.add': BypassAdded & Edited;
  readonly 'bypass.remove': BypassRemoved & Edited;
  readonly 'site.change': SiteChanged & Edited;
  readonly site: SiteStanding & { readonly keys: readonly SettingKey[] };
  readonly 'password.show': PasswordShown;
  readonly 'password.judge': { readonly strength: string };
  readonly 'password.propose': ChosenPassword;
  readonly 'password.add': PasswordAdded & Edited;
  readonly 'password.change': PasswordChanged & Edited;
  readonly 'password.rotate': PasswordRotated & Edited;
  readonly 'password.retire': PasswordRetired & Edited;
  readonly 'password.plan': PasswordPlan & Edited;
  readonly 'password.import': UsersImported & Edited;
  readonly 'password.export': UsersExported;
  readonly 'link.add': LinkShown & Edited;
  readonly 'link.show': LinkShown;
  readonly 'link.revoke': LinkRevoked & Edited;
  readonly review: Reviewed;
  readonly check: Checked;
  readonly live: LiveResult;
  readonly back: BackResult;
  readonly 'draft.undo': BackResult;
  readonly 'draft.drop': DraftDropped;
  readonly 'draft.carry': { readonly draft?: DraftStanding | undefined };
  readonly people: PeopleList;
  readonly 'people.invite': Invited;
  readonly 'people.locks': PersonListed;
  readonly 'people.revoke-invite': InviteRevoked;
  readonly 'people.remove': PersonRemoved;
  readonly 'people.end-sessions': SessionsEnded;
}

/** What the console answers besides calls, by the end of its address. */
export interface ConsoleAnswers extends ConsoleResults {
  readonly session: SessionStanding;
  readonly enter: Entered;
  readonly accept: Entered;
  readonly invited: InvitedAs;
  readonly leave: Readonly<Record<string, never>>;
}
