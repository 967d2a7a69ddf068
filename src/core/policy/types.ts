import type { Bypass } from '../bypass/bypass.js';
import type { Canonical } from '../places/canonical.js';
import type { CoverIndex } from '../places/cover-index.js';
import type { ParsedPlace, Place } from '../places/place.js';
import type { Screen } from '../screen/screen.js';
import type { Window } from '../windows/window.js';
import type { Openers } from './openers.js';
import type { LockRequest } from './requests.js';
import type { LockDocument, PolicyDocument, Remember, SiteDocument } from './document.js';

/** A lock, ready to be asked. */
export interface Lock extends Openers {
  readonly name: string;
  readonly covers: readonly Place[];
  readonly except: readonly Place[];
  /** What its visitors call it. */
  readonly title: string | undefined;
  readonly remember: Remember;
  /** Who is let in without a password. */
  readonly bypasses: readonly Bypass[];
  /** Other locks that must be open as well. */
  readonly requires: readonly Lock[];
  /** What visitors meet. */
  readonly screen: Screen;
  /** What visitors who leave an address are sent. */
  readonly request: LockRequest | undefined;
  readonly outsiders: LockDocument['outsiders'];
  /** Where somebody is sent after so many wrong passwords. */
  readonly wrong: LockDocument['wrong'];
  readonly basic: LockDocument['basic'];
  readonly after: LockDocument['after'];
  /** The time in which the lock counts; outside of it, it is as if it were not there. */
  readonly window: Window;
  readonly enabled: boolean;
}

/** A policy, ready to be asked. Nothing in it changes after it was compiled. */
export interface Policy {
  readonly site: SiteDocument;
  readonly locks: ReadonlyMap<string, Lock>;
  readonly bypasses: ReadonlyMap<string, Bypass>;
  readonly identity: PolicyDocument['identity'];
  /** The record of what happens at the locks, where one is kept. */
  readonly journal: PolicyDocument['journal'];
  /** How letters are sent, where they are. */
  readonly mail: PolicyDocument['mail'];
  readonly patrol: PolicyDocument['patrol'];
  /** By name; the default one is always among them. */
  readonly screens: ReadonlyMap<string, Screen>;
  readonly defaultScreen: Screen;
  /** How often passwords may be tried. */
  readonly guessing: PolicyDocument['guessing'];
  /** Reads request targets by the site's rules. */
  readonly read: (target: string) => Canonical;
  /** Reads places as an owner writes them. */
  readonly parsePlace: (text: string) => ParsedPlace;
  /** Whether any lock counts at some times only. */
  readonly hasWindows: boolean;
  /** By canonical path of a page, then by id: the locks of its sections that are on. */
  readonly sections: ReadonlyMap<string, ReadonlyMap<string, readonly Lock[]>>;
  /** Over the locks that are on. */
  readonly index: CoverIndex<Lock>;
}
