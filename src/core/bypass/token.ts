import { errors, jwtVerify, type JWTVerifyGetKey } from 'jose';
import type { PolicyDocument } from '../policy/document.js';
import type { Identity } from './bypass.js';

/** Gives the keys of a JWKS (RFC 7517), named as the policy does, to verify tokens with. */
export type TokenKeys = (jwks: string) => JWTVerifyGetKey;

/** How tokens are read: the policy's `identity.jwt`. */
export type TokenRules = NonNullable<NonNullable<PolicyDocument['identity']>['jwt']>;

/** Who a verified token says somebody is, and until when, in seconds since 1970. */
export interface TokenIdentity {
  readonly identity: Identity;
  readonly until: number;
}

/** Longest token that is looked at. */
const maxTokenLength = 8192;

/** How far clocks may differ, in seconds. */
const clockTolerance = 5;

/**
 * Who a JWT (RFC 7519) says somebody is, or undefined if any doubt remains about it: signature,
 * algorithm, issuer, audience, a missing or past expiry.
 *
 * @throws where the keys cannot be had
 */
export async function identityOfToken(
  token: string,
  rules: TokenRules,
  keys: JWTVerifyGetKey,
  now: number,
): Promise<TokenIdentity | undefined> {
  if (token.length > maxTokenLength) return undefined;
  const { algorithms, issuer, audience } = rules;
  try {
    const { payload } = await jwtVerify(token, keys, {
      algorithms: [...algorithms],
      ...(issuer === undefined ? {} : { issuer }),
      ...(audience === undefined ? {} : { audience }),
      requiredClaims: ['exp'],
      currentDate: new Date(now * 1000),
      clockTolerance,
    });
    const person = personIn(payload, rules.person);
    const roles = rolesIn(claimOf(payload, rules.roles));
    return { identity: { person, roles, signedIn: true }, until: payload.exp ?? 0 };
  } catch (error) {
    if (isDoubt(error)) return undefined;
    throw error;
  }
}

/** Whether an error speaks of the token, and not of getting the keys. */
function isDoubt(error: unknown): boolean {
  return (
    error instanceof errors.JWTClaimValidationFailed ||
    error instanceof errors.JWTExpired ||
    error instanceof errors.JWTInvalid ||
    error instanceof errors.JWSInvalid ||
    error instanceof errors.JWSSignatureVerificationFailed ||
    error instanceof errors.JOSEAlgNotAllowed ||
    error instanceof errors.JOSENotSupported ||
    error instanceof errors.JWKSNoMatchingKey ||
    error instanceof errors.JWKSMultipleMatchingKeys
  );
}

/** A claim by its name, or by a way through objects: `realm.roles`. */
function claimOf(payload: Readonly<Record<string, unknown>>, name: string): unknown {
  if (Object.hasOwn(payload, name)) return payload[name];
  let value: unknown = payload;
  for (const part of name.split('.')) {
    if (typeof value !== 'object' || value === null || !Object.hasOwn(value, part)) {
      return undefined;
    }
    value = (value as Record<string, unknown>)[part];
  }
  return value;
}

function personIn(payload: Readonly<Record<string, unknown>>, name: string): string | undefined {
  // An address that its provider has not verified is one that anybody can claim. Some providers say
  // so in words.
  const isVerified = payload['email_verified'];
  if (name === 'email' && ![undefined, true, 'true'].includes(isVerified as true)) return undefined;
  const person = claimOf(payload, name);
  return typeof person === 'string' && person !== '' ? person : undefined;
}

/** A list, or one text with spaces between as scopes are written (RFC 8693 section 4.2). */
function rolesIn(value: unknown): string[] {
  const roles = typeof value === 'string' ? value.split(' ') : Array.isArray(value) ? value : [];
  return roles.filter((role): role is string => typeof role === 'string' && role !== '');
}
