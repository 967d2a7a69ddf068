import { isOpenTo } from '../../core/decide.js';
import { DorlinError } from '../../core/errors.js';
import type { GuardContext } from '../context.js';
import { openCookie, type VisitCookies } from './cookies.js';
import { factsOf, type Facts } from './facts.js';

/** The names of the locks that are open to a visitor, in the order of the policy. */
export function openLocks({ guarded }: GuardContext, facts: Facts): string[] {
  const { locks } = guarded.policy;
  return [...locks.values()].filter((lock) => isOpenTo(lock, facts)).map(({ name }) => name);
}

/**
 * The `Set-Cookie` line for scripts, where the browser was told of other locks than are open: a
 * bypass opens some without anybody unlocking them, and passes end.
 */
export function correctedOpenCookie(
  context: GuardContext,
  facts: Facts,
  cookies: VisitCookies = context.cookies,
): string | undefined {
  const locks = openLocks(context, facts);
  const told = (cookies.open ?? '').split('.').filter((name) => name !== '');
  if (locks.length === told.length && locks.every((name) => told.includes(name))) return undefined;
  const { guarded, isSecure, now } = context;
  return openCookie(locks, facts.passes, guarded.policy, isSecure, now);
}

/** Whether a lock is open to a visitor; `opened` of the guard. */
export function isOpenedFor(context: GuardContext, name: string): boolean | Promise<boolean> {
  const lock = context.guarded.policy.locks.get(name);
  if (lock === undefined) throw new DorlinError('lock-unknown', `There is no lock \`${name}\`.`);
  const facts = factsOf(context);
  return facts instanceof Promise ? facts.then((known) => isOpenTo(lock, known)) : isOpenTo(lock, facts);
}
