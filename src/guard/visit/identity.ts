import { parseCookie } from 'cookie';
import { isInRanges } from '../../core/bypass/address.js';
import type { Identity } from '../../core/bypass/bypass.js';
import { identityOfToken, type TokenRules } from '../../core/bypass/token.js';
import type { Policy } from '../../core/policy/types.js';
import { tell, type GuardContext } from '../context.js';
import { headerOf, type Visit } from './visit.js';

/**
 * Who a visitor is: what the application says, or else a signed token, or else a trusted proxy;
 * nobody where that fails.
 */
export function identityOf(context: GuardContext): Identity | Promise<Identity> {
  const { options, visit } = context;
  const failed = (error: unknown): Identity => {
    tell(context, { type: 'failed', message: error instanceof Error ? error.message : 'unknown' });
    return {};
  };
  try {
    const told = options.identify?.(visit);
    const identity =
      told instanceof Promise
        ? told.then((known) => known ?? identityByPolicy(context))
        : (told ?? identityByPolicy(context));
    return identity instanceof Promise ? identity.catch(failed) : identity;
  } catch (error) {
    return failed(error);
  }
}

function identityByPolicy(context: GuardContext): Identity | Promise<Identity> {
  const { visit, guarded, caches } = context;
  const rules = guarded.policy.identity?.jwt;
  const token = rules === undefined ? undefined : tokenIn(visit, rules);
  if (rules === undefined || token === undefined) return headerIdentity(visit, guarded.policy);
  const known = caches.tokens.get(guarded.number, token);
  if (known !== undefined && context.now < known.until) return known.identity;
  return tokenIdentity(context, token, rules);
}

/** How long a verified token is believed without looking at the keys again, in seconds. */
const beliefSpan = 60;

async function tokenIdentity(
  { options, guarded, caches, now }: GuardContext,
  token: string,
  rules: TokenRules,
): Promise<Identity> {
  if (options.tokenKeys === undefined) {
    throw new Error('the policy has identity.jwt, but the guard was given no tokenKeys');
  }
  const found = await identityOfToken(token, rules, options.tokenKeys(rules.jwks), now);
  // A token that is there and does not count is no reason to listen to anything else.
  if (found === undefined) return {};
  const until = Math.min(found.until, now + beliefSpan);
  caches.tokens.set(guarded.number, token, { identity: found.identity, until });
  return found.identity;
}

function tokenIn(visit: Visit, { cookie, bearer }: TokenRules): string | undefined {
  const cookies = headerOf(visit, 'cookie');
  if (cookie !== undefined && cookies !== undefined) {
    const token = parseCookie(cookies)[cookie];
    if (token !== undefined && token !== '') return token;
  }
  if (!bearer) return undefined;
  return /^Bearer +([A-Za-z0-9._~+/-]+=*) *$/i.exec(headerOf(visit, 'authorization') ?? '')?.[1];
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
