import { firstAddress } from '../bypass/address.js';
import { stranger, unmetConditions, type Bypass, type Visitor } from '../bypass/bypass.js';
import { decide } from '../decide.js';
import { newPass, type Pass } from '../passes/pass.js';
import type { Policy } from '../policy/types.js';
import { isWithin } from '../windows/window.js';
import { outcomeOf, type Outcome } from './outcome.js';

/** A kind of visitor: what is known of one, and the passes that one brings. */
export interface VisitorKind {
  /** `stranger`, `opened LOCK` or `bypass NAME`. */
  readonly name: string;
  readonly visitor: Visitor;
  readonly passes: readonly Pass[];
}

/** Places × kinds of visitor. */
export interface Matrix {
  readonly kinds: readonly VisitorKind[];
  readonly rows: readonly { readonly target: string; readonly outcomes: readonly Outcome[] }[];
}

const session = 'matrix';

/**
 * The kinds of visitor that a policy tells apart at a moment: a stranger, whoever has opened one
 * lock, and whoever meets the conditions of one bypass. Locks that nothing opens now, and bypasses
 * that do not count now, have none.
 */
export function visitorKinds(policy: Policy, now: number): VisitorKind[] {
  const opened = [...policy.locks.values()].flatMap((lock): VisitorKind[] => {
    const opener = [...lock.openers.values()].find(({ window }) => isWithin(window, now));
    if (opener === undefined) return [];
    const pass = newPass(lock, opener, now, lock.remember.kind === 'visit' ? session : undefined);
    return [{ name: `opened ${lock.name}`, visitor: stranger, passes: [pass] }];
  });
  const bypassing = [...policy.bypasses.values()].flatMap((bypass): VisitorKind[] => {
    const visitor = visitorFor(bypass);
    if (unmetConditions(bypass, visitor, now).length > 0) return [];
    return [{ name: `bypass ${bypass.name}`, visitor, passes: [] }];
  });
  return [{ name: 'stranger', visitor: stranger, passes: [] }, ...opened, ...bypassing];
}

/** Somebody who meets the conditions of a bypass, and is nothing else. */
function visitorFor({ addresses, roles, people, signedIn }: Bypass): Visitor {
  const [range] = addresses ?? [];
  return {
    address: range === undefined ? undefined : firstAddress(range),
    roles: roles?.slice(0, 1) ?? [],
    person: people?.[0],
    signedIn: signedIn ?? people !== undefined,
  };
}

/** What each kind of visitor gets at each address. */
export function matrixOf(policy: Policy, targets: readonly string[], now: number): Matrix {
  const kinds = visitorKinds(policy, now);
  const rows = targets.map((target) => ({
    target,
    outcomes: kinds.map(({ visitor, passes }) => outcomeOf(decide(policy, { target, passes, session, visitor, now }))),
  }));
  return { kinds, rows };
}

/** Stands for all pages that no place of a policy names. */
const anyOther = '/any-other-page';

/**
 * An address for every place that a policy names, its patterns and sections left out. Where a lock
 * covers the whole site, also one that no policy names, for all the others.
 */
export function namedTargets(policy: Policy): string[] {
  const targets = new Set<string>(['/']);
  for (const { covers, except } of policy.locks.values()) {
    for (const place of [...covers, ...except]) {
      if (place.kind === 'page' || place.kind === 'folder') targets.add(encodeURI(place.text));
      else if (place.kind === 'site') targets.add(anyOther);
    }
  }
  return [...targets];
}
