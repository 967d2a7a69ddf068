import type { BackResult, DraftDropped, LiveResult } from './drafts.js';
import type { BypassAdded, BypassList, BypassRemoved } from './bypasses.js';
import type { CheckResult } from './check/check.js';
import type { ExplainResult, MatrixResult } from './explain.js';
import type { InitResult } from './init.js';
import type { JournalResult } from './journal.js';
import type { SettingKey } from './key-value.js';
import type { LinkList, LinkRevoked, LinkShown } from './links.js';
import type { LockStanding } from './lock-settings.js';
import type { LockResult } from './locks.js';
import type { PasswordShown } from './hand-out.js';
import type { UsersExported, UsersImported } from './passwords/htpasswd.js';
import type {
  PasswordAdded,
  PasswordChanged,
  PasswordList,
  PasswordRetired,
  PasswordRotated,
} from './passwords/passwords.js';
import type { PasswordPlan } from './passwords/plan.js';
import type { PasswordsRehashed } from './passwords/rehash.js';
import type { PatrolReport } from './patrol/patrol.js';
import type { Invited, InviteRevoked, PeopleList, SessionsEnded } from './people/people.js';
import type { PlacesResult } from './places.js';
import type { ReleaseResult } from './release.js';
import type { RequestList } from './requests.js';
import type { ReviewResult } from './review.js';
import type { ScreenExport, ScreensChecked, ScreenSheet } from './screen-files.js';
import type { FileKept, ScreenRemoved } from './screen-design.js';
import type { ScreenChanged, ScreenList } from './screens.js';
import type { SealResult } from './seal.js';
import type { SealedPage } from './seal-page.js';
import type { SecretChanged } from './secret.js';
import type { PullResult, PushResult, TakenOut } from './shared.js';
import type { SiteChanged, SiteStanding } from './site.js';
import type { Snippet } from './snippet/snippet.js';
import type { Standing } from './standing.js';
import type { TokensExported, TokensImported } from './tokens.js';

/** The keys that can be set, as `--keys` lists them. */
export interface KeyList {
  readonly keys: readonly SettingKey[];
}

/** An invitation, with the address that is sent to whoever is invited. */
export interface ConsoleInvited extends Invited {
  readonly address: string;
}

/** What a call that went wrong prints. */
export interface CommandError {
  readonly error: {
    /** A stable name; see the reference of errors. */
    readonly code: string;
    /** What is wrong, where, and what to do. */
    readonly message: string;
  };
}

/**
 * What every command prints with `--json`, and what the operation of the same name gives back. Commands
 * that go on (`serve`, `screen preview`, `journal --follow`) print one object a line instead.
 */
export interface CommandResults {
  readonly dorlin: Standing;
  readonly init: InitResult;
  readonly places: PlacesResult;
  readonly lock: LockResult;
  /** Without places and settings. */
  readonly 'lock NAME': LockStanding;
  readonly release: ReleaseResult;
  readonly 'password add': PasswordAdded;
  readonly 'password show': PasswordShown;
  readonly 'password rotate': PasswordRotated;
  readonly 'password plan': PasswordPlan;
  readonly 'password change': PasswordChanged;
  readonly 'password retire': PasswordRetired;
  readonly 'password rehash': PasswordsRehashed;
  readonly 'password list': PasswordList;
  readonly 'password import': UsersImported;
  readonly 'password export': UsersExported;
  readonly link: LinkShown;
  readonly 'link --list': LinkList;
  readonly 'link --revoke': LinkRevoked;
  readonly 'bypass add': BypassAdded;
  readonly 'bypass remove': BypassRemoved;
  readonly 'bypass list': BypassList;
  readonly explain: ExplainResult;
  readonly 'explain --matrix': MatrixResult;
  readonly review: ReviewResult;
  readonly check: CheckResult;
  readonly patrol: PatrolReport;
  readonly live: LiveResult;
  readonly back: BackResult;
  readonly 'back --draft': DraftDropped;
  readonly site: SiteStanding;
  readonly 'site KEY=VALUE': SiteChanged;
  readonly 'site --keys': KeyList;
  readonly push: PushResult;
  readonly 'push --remove': TakenOut;
  readonly pull: PullResult;
  readonly 'secret rotate': SecretChanged;
  readonly 'secret retire': SecretChanged;
  readonly snippet: Snippet;
  readonly 'screen list': ScreenList;
  readonly 'screen new': ScreenChanged;
  readonly 'screen edit': ScreenChanged;
  readonly 'screen remove': ScreenRemoved;
  readonly 'screen keep': FileKept;
  readonly 'screen edit --keys': KeyList;
  readonly 'screen check': ScreensChecked;
  readonly 'screen sheet': ScreenSheet;
  readonly 'screen export': ScreenExport;
  readonly 'screen tokens export': TokensExported;
  readonly 'screen tokens import': TokensImported;
  readonly seal: SealResult;
  readonly 'seal --single': SealedPage;
  readonly journal: JournalResult;
  readonly requests: RequestList;
  readonly 'console invite': ConsoleInvited;
  readonly 'console people': PeopleList;
  readonly 'console revoke': InviteRevoked;
  readonly 'console end-sessions': SessionsEnded;
  /** Any of them, where the call went wrong. */
  readonly error: CommandError;
}
