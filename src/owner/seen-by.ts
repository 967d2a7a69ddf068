import { isAddressRange } from '../core/bypass/address.js';
import type { Visitor } from '../core/bypass/bypass.js';
import type { Question } from '../core/decide.js';
import { DorlinError } from '../core/errors.js';
import { newPass, type Pass } from '../core/passes/pass.js';
import type { Policy } from '../core/policy/types.js';
import { readWhen } from '../core/windows/when.js';
import { isWithin } from '../core/windows/window.js';
import { lockNamed } from './named.js';

/** Through whose eyes a site is seen, and when. */
export interface SeenBy {
  /** From this address. */
  readonly from?: string | undefined;
  /** This person, signed in. */
  readonly person?: string | undefined;
  readonly roles?: readonly string[] | undefined;
  readonly signedIn?: boolean | undefined;
  /** Locks that this visitor has opened, by the first password or link of each that counts then. */
  readonly opened?: readonly string[] | undefined;
  /** A search engine, which gets what strangers get, whatever it calls itself. */
  readonly searchEngine?: true | undefined;
  /** At another moment: one, or a span from now. */
  readonly at?: string | undefined;
}

/** The moment that is meant, in seconds since 1970. */
export const momentMeant = ({ site }: Policy, at: string | undefined): number => {
  const now = Date.now() / 1000;
  return at === undefined ? now : readWhen(at, { name: '--at', zone: site.timeZone, now }).seconds;
};

/** Who somebody is to `decide`, and the passes that one brings. */
export function questionOf(
  policy: Policy,
  { opened = [], at, ...visitor }: SeenBy,
): { question: Omit<Question, 'target'> & { readonly session: string }; unopened: string[] } {
  const now = momentMeant(policy, at);
  const passes: Pass[] = [];
  const unopened: string[] = [];
  for (const name of opened) {
    const lock = lockNamed(policy, name);
    const opener = [...lock.openers.values()].find(({ window }) => isWithin(window, now));
    if (opener === undefined) unopened.push(name);
    else passes.push(newPass(lock, opener, now, lock.remember.kind === 'visit' ? playedSession : undefined));
  }
  return { question: { passes, session: playedSession, visitor: visitorOf(visitor), now }, unopened };
}

/** The mark of the visit that is played: 22 letters. */
export const playedSession = 'seen-through-the-eyes-';

/** The visitor that is described. @throws DorlinError `address-invalid` */
export function visitorOf({ from, person, roles = [], signedIn }: SeenBy): Visitor {
  if (from !== undefined && (from.includes('/') || !isAddressRange(from))) {
    throw new DorlinError('address-invalid', `\`${from}\` is no address of one visitor.`);
  }
  return { address: from, person, roles, signedIn: signedIn ?? person !== undefined };
}
