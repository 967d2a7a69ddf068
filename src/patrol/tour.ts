import type { Asker } from './asker.js';
import type { Expectation, PlaceOfLock, Who } from './expectation.js';
import type { Facts, Seen } from './facts.js';
import type { Findings } from './finding.js';
import type { Guest } from './guests.js';
import type { Look } from './look.js';
import type { SiteAddresses } from './site-addresses.js';
import type { Frontier, WalkLimits } from './walk.js';
import type { Words } from './words.js';

/** An address that no site has. */
export const madeUp = '/dorlin-patrol-asks-for-what-is-not-there';

/** The roles that are played, in the order of the report. */
export const roles = [
  'stranger',
  'wrong password',
  'guest',
  'other guests',
  'returning',
  'entry link',
  'address',
  'HTTP Basic',
  'feed reader',
  'search engine',
] as const;
export type Role = (typeof roles)[number];

/** What somebody got at an address, and whether that is as it should be. */
export interface Check extends PlaceOfLock {
  readonly role: Role;
  readonly target: string;
  readonly seen: Seen;
  /** `leak`: got what others must not get; `closed`: did not get what is meant for them. */
  readonly verdict: 'right' | 'leak' | 'closed';
}

/** What lies behind a lock, as somebody saw it who was let in. */
export interface Inside extends PlaceOfLock {
  /** The address, with `#` and an id for a section. */
  readonly name: string;
  readonly target: string;
  readonly isSection: boolean;
  /** Whether it was read from a file, and nobody was let in to it: it is only looked for elsewhere. */
  readonly isFromFile?: true | undefined;
  readonly facts: Facts;
  /** What it says and the rest of the site does not; empty for what is no text. */
  readonly telling: Words;
}

/** A role that was not played, and why. */
export interface NotPlayed {
  readonly role: Role | 'pictures';
  readonly lock: string;
  readonly why: string;
}

/** All that is gathered on a patrol. */
export interface Tour {
  readonly asker: Asker;
  readonly look: Look;
  readonly site: SiteAddresses;
  readonly expectation: Expectation | undefined;
  readonly findings: Findings;
  readonly checks: Check[];
  readonly notPlayed: NotPlayed[];
  readonly limits: WalkLimits;
  /** What strangers got, by target. */
  readonly strangers: Map<string, Facts>;
  /** By name. */
  readonly insides: Map<string, Inside>;
  readonly guests: Guest[];
  readonly frontier: Frontier;
  /** What the site says of an address that is made up. */
  notFound: Facts | undefined;
  /** How many addresses each guest knew and did not get to, by lock. */
  readonly left: Map<string, number>;
  /** Ways around the locks for which there was no time. */
  untried: number;
  /** In seconds since 1970. */
  readonly now: number;
  readonly progress: (phase: string, done: number, all: number) => void;
}

const refusals: ReadonlySet<Seen> = new Set(['screen', 'prompt', 'closed']);

/** Whether an answer is one that refuses and asks for something. */
export const isRefusal = ({ seen }: Facts) => refusals.has(seen);

/**
 * The place that shuts an address to strangers: by the policy, or without one by what they got.
 */
export function placeOf(tour: Tour, target: string): PlaceOfLock | undefined {
  if (tour.expectation !== undefined) return tour.expectation.placeOf(target);
  const facts = tour.strangers.get(target);
  if (facts === undefined) return undefined;
  const sentTo = facts.location === undefined ? undefined : tour.strangers.get(facts.location);
  const isSentToScreen = facts.seen === 'sent away' && sentTo?.seen === 'screen';
  if (!isRefusal(facts) && !isSentToScreen) return undefined;
  const lock = (facts.forms[0] ?? sentTo?.forms[0])?.lock ?? '';
  return { place: folderOf(target), lock };
}

/** The first folder of an address, or the page, where it lies in none. */
function folderOf(target: string): string {
  const path = target.split('?', 1)[0] ?? '/';
  return /^\/[^/]+\//.exec(path)?.[0] ?? path;
}

/** Every known address that is shut to strangers, with its place. */
export function closedTargets(tour: Tour): { readonly target: string; readonly of: PlaceOfLock }[] {
  return [...tour.strangers.keys()].flatMap((target) => {
    const of = placeOf(tour, target);
    return of === undefined ? [] : [{ target, of }];
  });
}

/** Whether somebody should get an address; undefined where nothing says so. */
export function shouldGet(tour: Tour, target: string, who: Who | undefined): boolean | undefined {
  if (tour.expectation === undefined || who === undefined) return undefined;
  return tour.expectation.isOpen(target, who);
}
