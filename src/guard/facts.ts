import { isInRanges, visitorAddress } from '../core/bypass/address.js';
import type { Identity, Visitor } from '../core/bypass/bypass.js';
import type { Question } from '../core/decide.js';
import type { Pass } from '../core/passes/pass.js';
import type { Policy } from '../core/policy/compile.js';
import { passesIn, tell, type GuardContext } from './context.js';
import type { VisitCookies } from './cookies.js';
import { headerOf, type Visit } from './visit.js';

/** All that a decision is made from but the address. */
export type Facts = Omit<Question, 'target'>;

/** Gathers the facts about a visit; at once where nothing has to be waited for. */
export function factsOf(context: GuardContext, cookies: VisitCookies): Facts | Promise<Facts> {
  const passes = passesIn(cookies, context);
  if (context.standing.policy.bypasses.size === 0) {
    // Where nobody is let in for who they are, it need not be found out.
    const { now } = context;
    return passes instanceof Promise
      ? passes.then((known) => ({ passes: known, visit: cookies.visit, now }))
      : { passes, visit: cookies.visit, now };
  }
  const identity = identityOf(context);
  if (passes instanceof Promise || identity instanceof Promise) {
    return Promise.all([passes, identity]).then(([known, who]) =>
      combine(context, cookies, known, who),
    );
  }
  return combine(context, cookies, passes, identity);
}

function combine(
  { visit, standing, now }: GuardContext,
  cookies: VisitCookies,
  passes: readonly Pass[],
  identity: Identity,
): Facts {
  const forwardedFor = headerOf(visit, 'x-forwarded-for');
  const address = visitorAddress(visit.address, forwardedFor, standing.policy.site.trustedProxies);
  const { person, roles = [], signedIn = person !== undefined } = identity;
  const visitor: Visitor = { address, person, roles, signedIn };
  return { passes, visit: cookies.visit, visitor, now };
}

/** What the application says, or else what a trusted proxy does; nobody where that fails. */
function identityOf(context: GuardContext): Identity | Promise<Identity> {
  const { options, visit, standing } = context;
  const fallback = () => headerIdentity(visit, standing.policy);
  const failed = (error: unknown): Identity => {
    tell(context, { type: 'failed', message: error instanceof Error ? error.message : 'unknown' });
    return {};
  };
  try {
    const told = options.identify?.(visit);
    return told instanceof Promise
      ? told.then((identity) => identity ?? fallback(), failed)
      : (told ?? fallback());
  } catch (error) {
    return failed(error);
  }
}

/** Believed only over a connection from a trusted proxy; anybody could send such a header. */
function headerIdentity(visit: Visit, { site, identity }: Policy): Identity {
  const header = identity?.header;
  if (header === undefined || !isInRanges(visit.address, site.trustedProxies)) return {};
  const read = (name: string | undefined) =>
    name === undefined ? undefined : headerOf(visit, name.toLowerCase())?.trim();
  const roles = (read(header.roles) ?? '').split(',').map((role) => role.trim());
  const person = read(header.person);
  return {
    person: person === '' ? undefined : person,
    roles: roles.filter((role) => role !== ''),
  };
}
