import type { Identity, Visitor } from '../../core/bypass/bypass.js';
import type { Pass } from '../../core/passes/pass.js';
import { addressOf, passesIn, type Facts, type GuardContext } from '../context.js';
import type { VisitCookies } from './cookies.js';
import { identityOf } from './identity.js';

export type { Facts };

/** The facts about a visit, gathered once; at once where nothing has to be waited for. */
export const factsOf = (context: GuardContext): Facts | Promise<Facts> =>
  (context.facts ??= factsBy(context, context.cookies));

/** The facts about a visit as they would be with these cookies. */
export function factsBy(context: GuardContext, cookies: VisitCookies): Facts | Promise<Facts> {
  if (cookies.publicSince !== undefined) return factsAsPublic(context, cookies);
  const passes = passesIn(cookies, context);
  if (context.guarded.policy.bypasses.size === 0) {
    // Where nobody is let in for who they are, it need not be found out.
    const { now } = context;
    return passes instanceof Promise
      ? passes.then((known) => ({ passes: known, session: cookies.session, now }))
      : { passes, session: cookies.session, now };
  }
  const identity = identityOf(context);
  if (passes instanceof Promise || identity instanceof Promise) {
    return Promise.all([passes, identity]).then(([known, who]) => combine(context, cookies, known, who));
  }
  return combine(context, cookies, passes, identity);
}

/**
 * For a browser that is to see the site as the public does: of nobody, with only what it has opened
 * since.
 */
function factsAsPublic(context: GuardContext, cookies: VisitCookies): Facts | Promise<Facts> {
  const { publicSince = 0 } = cookies;
  const since = (passes: readonly Pass[]): Facts => ({
    passes: passes.filter(({ t }) => t >= publicSince),
    session: cookies.session,
    now: context.now,
  });
  const passes = passesIn(cookies, context);
  return passes instanceof Promise ? passes.then(since) : since(passes);
}

function combine(context: GuardContext, cookies: VisitCookies, passes: readonly Pass[], identity: Identity): Facts {
  const { person, roles = [], signedIn = person !== undefined } = identity;
  const visitor: Visitor = { address: addressOf(context), person, roles, signedIn };
  return { passes, session: cookies.session, visitor, now: context.now };
}
