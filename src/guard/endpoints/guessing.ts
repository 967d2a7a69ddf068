import { visitorKey } from '../../core/guessing/budget.js';
import { isKnownAt, type KnownBrowser } from '../../core/passes/known-browser.js';
import type { Lock } from '../../core/policy/types.js';
import { addressOf, type GuardContext } from '../context.js';

/** A try that was counted, or how long to wait before the next. */
export type CountedTry =
  | { readonly isAllowed: true; readonly giveBack: () => Promise<void> }
  | { readonly isAllowed: false; readonly waitSeconds: number };

/**
 * Counts one try at a lock, before anything is hashed, so that guesses sent all at once cannot
 * exceed the budget by one. The lock's own budget comes first: a guesser with any number of
 * addresses then fills no more counters than that budget has tries.
 */
export async function countTry(
  context: GuardContext,
  lock: Lock,
  browser: KnownBrowser | undefined,
): Promise<CountedTry> {
  const { options, guarded } = context;
  const { counters } = options;
  const { perVisitor, perLock } = guarded.policy.guessing;
  const known = browser !== undefined && isKnownAt(browser, lock, context.now) ? browser : undefined;
  const at = `${guarded.audience}\n${lock.name}\n`;
  // Last: what a lock's own budget ends takes nothing from other locks of the site.
  const ofSite = options.perSite === undefined ? [] : [{ key: `${guarded.audience}\nsite`, budget: options.perSite }];
  const ofLock =
    known === undefined
      ? [
          { key: `${at}all`, budget: perLock },
          { key: `${at}visitor ${visitorKey(addressOf(context))}`, budget: perVisitor },
        ]
      : [
          // All of them together, as whoever knows one password can make any number known.
          { key: `${at}known`, budget: perLock },
          { key: `${at}browser ${known.id}`, budget: perVisitor },
        ];
  const needed = [...ofLock, ...ofSite];

  const taken: typeof needed = [];
  const giveBack = async () => {
    for (const { key, budget } of taken) await counters.giveBack(key, budget);
  };
  for (const one of needed) {
    const { isAllowed, waitSeconds } = await counters.take(one.key, one.budget);
    if (!isAllowed) {
      await giveBack();
      await options.refusalDelay?.();
      return { isAllowed: false, waitSeconds };
    }
    taken.push(one);
  }
  return { isAllowed: true, giveBack };
}

/** Where a visitor is sent whose password was wrong so many times; undefined: that is said once more. */
export async function sentAfterWrong(
  context: GuardContext,
  lock: Lock,
  browser: KnownBrowser | undefined,
): Promise<string | undefined> {
  if (lock.wrong === undefined) return undefined;
  const { options, guarded } = context;
  const { after, redirect } = lock.wrong;
  if (after === 1) return redirect;
  const who = browser?.id ?? `visitor ${visitorKey(addressOf(context))}`;
  // Counted for as long as the tries themselves are.
  const budget = { tries: after - 1, seconds: guarded.policy.guessing.perVisitor.seconds };
  const { isAllowed } = await options.counters.take(`${guarded.audience}\n${lock.name}\nwrong ${who}`, budget);
  return isAllowed ? undefined : redirect;
}
