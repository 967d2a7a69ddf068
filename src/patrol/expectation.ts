import { firstAddress } from '../core/bypass/address.js';
import { stranger, unmetConditions, type Visitor } from '../core/bypass/bypass.js';
import { decideSection, markedLocks, sectionsAt } from '../core/decide-section.js';
import { decide, lockToAsk } from '../core/decide.js';
import { newPass, type Pass } from '../core/passes/pass.js';
import type { Lock, Policy } from '../core/policy/types.js';
import { countsAt } from '../core/policy/lock-state.js';
import { isWithin } from '../core/windows/window.js';

/** A place in the report: what of the site belongs together, and by which lock. */
export interface PlaceOfLock {
  readonly place: string;
  readonly lock: string;
}

/** Who asks, as far as a policy goes by that. */
export interface Who {
  readonly passes: readonly Pass[];
  readonly visitor: Visitor;
}

/** Somebody who has opened nothing. */
export const nobody: Who = { passes: [], visitor: stranger };

/** The session that passes for one visit are bound to here. */
const session = 'patrol';

/** What should be, by a policy. */
export interface Expectation {
  readonly policy: Policy;
  /** Whether somebody should get an address; undefined where it cannot be read for certain. */
  isOpen(target: string, who: Who): boolean | undefined;
  /** The place and lock that shut an address to strangers; undefined where it is open to them. */
  placeOf(target: string): PlaceOfLock | undefined;
  /** The locks that count of sections which strangers are not to see, with what says which elements are meant. */
  sectionsOf(target: string): readonly { readonly lock: Lock; readonly id: string; readonly place: string }[];
  /** Whether somebody should get a section of a page that is open to them. */
  isSectionOpen(target: string, of: PlaceOfLock, who: Who): boolean | undefined;
  /** Whether an `except` says outright that an address is meant to be open. */
  isLeftOut(target: string): boolean;
  /** Somebody who has opened these locks, with what they require. */
  guestOf(locks: readonly Lock[], isReturning?: boolean): Who;
}

export function expectationOf(policy: Policy, now: number): Expectation {
  const readings = (target: string) => {
    const read = policy.read(target);
    return read.ok ? read.readings : [];
  };
  const withCompanions = (target: string) => {
    const read = policy.read(target);
    return read.ok ? [...read.readings, ...(read.companions ?? []).map(({ reading }) => reading)] : [];
  };
  return {
    policy,
    isOpen(target, { passes, visitor }) {
      const decision = decide(policy, { target, passes, session, visitor, now });
      if (decision.kind === 'refused') return undefined;
      return decision.kind !== 'shut';
    },
    placeOf(target) {
      const decision = decide(policy, { target, passes: [], now });
      if (decision.kind !== 'shut') return undefined;
      const lock = lockToAsk(decision.locks);
      for (const reading of withCompanions(target)) {
        const said = policy.index.statements(reading).find((one) => one.says === 'covers' && one.lock === lock);
        if (said !== undefined) return { place: said.place.text, lock: lock.name };
      }
      // Shut by what another lock requires.
      return { place: target, lock: lock.name };
    },
    sectionsOf(target) {
      return [...sectionsAt(policy, target)].flatMap(([id, locks]) => {
        if (decideSection(locks, { ...nobody, now }).kind !== 'shut') return [];
        const counting = new Set(locks.flat().filter((lock) => countsAt(lock, now)));
        return [...counting].map((lock) => ({
          lock,
          id,
          place:
            lock.covers.find((one) => one.kind === 'section' && one.id === id && readings(target).includes(one.path))
              ?.text ?? `${target}#${id}`,
        }));
      });
    },
    isSectionOpen(target, { place, lock }, { passes, visitor }) {
      const named = this.sectionsOf(target).find((one) => one.place === place);
      const locks = named ? sectionsAt(policy, target).get(named.id) : markedLocks(policy, lock);
      if (locks === undefined) return undefined;
      return decideSection(locks, { passes, session, visitor, now }).kind !== 'shut';
    },
    isLeftOut(target) {
      return readings(target).some((reading) => policy.index.statements(reading).some(({ says }) => says === 'except'));
    },
    guestOf(locks, isReturning = false) {
      const opened = [...new Set(locks.flatMap((lock) => [lock, ...lock.requires]))];
      const passes = opened.flatMap((lock) => {
        const opener = [...lock.openers.values()].find(({ window }) => isWithin(window, now));
        const isForVisit = lock.remember.kind === 'visit';
        if (opener === undefined || (isReturning && isForVisit)) return [];
        return [newPass(lock, opener, now, isForVisit ? session : undefined)];
      });
      return { passes, visitor: stranger };
    },
  };
}

/** Somebody at an address from which a bypass lets in by the address alone. */
export function visitorsByAddress(
  policy: Policy,
  now: number,
  from: string | undefined,
): { readonly name: string; readonly visitor: Visitor }[] {
  if (from !== undefined) return [{ name: from, visitor: { ...stranger, address: from } }];
  return [...policy.bypasses.values()].flatMap((bypass) => {
    const [range] = bypass.addresses ?? [];
    if (range === undefined) return [];
    const visitor = { ...stranger, address: firstAddress(range) };
    return unmetConditions(bypass, visitor, now).length > 0 ? [] : [{ name: bypass.name, visitor }];
  });
}
