import { isWithin, type Window } from '../windows/window.js';
import { isInRanges } from './address.js';

/** Who a visitor is, as far as it is known for certain. */
export interface Visitor {
  /** The visitor's address; a proxy's word for it counts only where the proxy is trusted. */
  readonly address?: string | undefined;
  readonly person?: string | undefined;
  readonly roles: readonly string[];
  readonly signedIn: boolean;
}

/** Who a visitor is, as the application or a proxy says. */
export interface Identity {
  /** A name or e-mail address. */
  readonly person?: string | undefined;
  readonly roles?: readonly string[] | undefined;
  /** @default whether there is a person */
  readonly signedIn?: boolean | undefined;
}

/** Somebody of whom nothing is known. */
export const stranger: Visitor = { roles: [], signedIn: false };

/** A named rule that lets somebody in without a password. All its conditions must hold. */
export interface Bypass {
  readonly name: string;
  readonly addresses?: readonly string[] | undefined;
  readonly roles?: readonly string[] | undefined;
  readonly people?: readonly string[] | undefined;
  readonly signedIn?: true | undefined;
  readonly window: Window;
  /** Whether it counts at every lock, those to come as well. */
  readonly everyLock: boolean;
  /** Whether whom it lets in is shown that, and what the public sees. */
  readonly ribbon: boolean;
}

/** A condition of a bypass. */
export type BypassCondition = 'address' | 'role' | 'person' | 'signed-in' | 'time';

/** The conditions of a bypass that a visitor does not meet; none: it lets that visitor in. */
export function unmetConditions(bypass: Bypass, visitor: Visitor, now: number): BypassCondition[] {
  const { addresses, roles, people, signedIn } = bypass;
  const { person } = visitor;
  const unmet: BypassCondition[] = [];
  if (addresses !== undefined && !isInRanges(visitor.address, addresses)) unmet.push('address');
  if (roles !== undefined && !roles.some((role) => visitor.roles.includes(role))) unmet.push('role');
  if (people !== undefined && (person === undefined || !people.some((one) => isSamePerson(one, person)))) {
    unmet.push('person');
  }
  if (signedIn === true && !visitor.signedIn) unmet.push('signed-in');
  if (!isWithin(bypass.window, now)) unmet.push('time');
  return unmet;
}

/** Names of people are mostly e-mail addresses, which differ in case without a difference. */
function isSamePerson(one: string, other: string): boolean {
  return one.toLowerCase() === other.toLowerCase();
}

/** Whether a bypass goes by who a visitor is, so that signing in could make it hold. */
export const asksWhoIsThere = ({ roles, people, signedIn }: Pick<Bypass, 'roles' | 'people' | 'signedIn'>): boolean =>
  (roles ?? people ?? signedIn) !== undefined;
