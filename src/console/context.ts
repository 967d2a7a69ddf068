import type { SeenBy } from '../owner/seen-by.js';
import type { Titles } from '../owner/view.js';
import type { FoundSite } from '../owner/walk-site.js';
import type { Person } from '../owner/people/people-file.js';

/** What a console knows of the site that it is for, and of what it does there. */
export interface ConsoleSite {
  readonly policyFile: string;
  /** Titles of pages, as they were last read. */
  readonly titles: Titles;
  /** What one act made of the draft, and what it was before, by their digests: an act may be several steps. */
  readonly acts: Map<string, string>;
  /** What was found on the running site. */
  found: FoundSite | undefined;
  /** Stops what goes over the site just now. */
  walking: AbortController | undefined;
  /** The patrol that is under way, or why the last one did not come to an end. */
  patrolling: (LongWork & { readonly url: string }) | undefined;
  /** The site as it is being sealed, or why that did not come to an end. */
  sealing: LongWork | undefined;
  /** Where a site can be seen through somebody’s eyes, beside the console: scheme and host. */
  readonly frameOrigin: string | undefined;
  /** Shows the site in that place as somebody else gets it. */
  readonly playAs: ((view: PlayedView) => string) | undefined;
  /** Called once there is a policy, where there was none. */
  readonly begun: () => Promise<void>;
  /** Tells all who have the console open. */
  readonly tell: (news: ConsoleNews) => void;
}

/** How the site is played in the frame. */
export interface PlayedView {
  readonly isDraft: boolean;
  readonly seenBy: SeenBy;
}

/** What is told to those who have the console open. */
export type ConsoleNews =
  /** The policy or its draft is another one now; by whom, where the console did it. */
  | { readonly type: 'changed'; readonly version: string; readonly by?: string | undefined }
  /** Events at the locks. */
  | { readonly type: 'events'; readonly count: number }
  /** How far something long has come. */
  | {
      readonly type: 'progress';
      readonly work: 'walk' | 'patrol' | 'seal';
      readonly done: number;
      /** Of how many, and with what: for a patrol, and for sealing. */
      readonly all?: number | undefined;
      readonly phase?: string | undefined;
    }
  /** A patrol has ended. */
  | { readonly type: 'patrolled' }
  /** A sealing has ended. */
  | { readonly type: 'sealed' };

/** Something that goes on for a while, whoever leaves the page meanwhile. */
export interface LongWork {
  readonly stop: AbortController;
  isRunning: boolean;
  /** Why it did not come to an end. */
  problem?: { readonly code: string; readonly message: string; readonly mend: string } | undefined;
}

/** A call, with who calls. */
export interface Caller {
  readonly site: ConsoleSite;
  readonly person: Person;
  /** The address of the caller’s end of the connection, as far as it is known. */
  readonly address: string | undefined;
  /** The file that edits of an owner go to: the draft, begun where there is none. */
  readonly draft: () => Promise<string>;
  /** The file that is shown: the draft where there is one, else the policy. */
  readonly shown: string;
}
