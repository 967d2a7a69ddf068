import { parseCookie, stringifySetCookie } from 'cookie';
import type { Pass } from '../core/passes/pass.js';
import type { Policy } from '../core/policy/compile.js';
import { headerOf, type Visit } from './visit.js';

/** The cookies of a visit; the `__Host-` prefix (RFC 6265bis) is used where the scheme allows it. */
export interface VisitCookies {
  /** The signed passes, not verified yet. */
  readonly passes: string | undefined;
  /** The mark of this visit; gone when the browser closes. */
  readonly visit: string | undefined;
}

const names = (isSecure: boolean) =>
  isSecure
    ? { passes: '__Host-dorlin', visit: '__Host-dorlin-visit', open: 'dorlin-open' }
    : { passes: 'dorlin', visit: 'dorlin-visit', open: 'dorlin-open' };

/** Longest cookie value that is looked at. */
const maxCookieLength = 4096;

export function readCookies(visit: Visit, isSecure: boolean): VisitCookies {
  const header = headerOf(visit, 'cookie');
  if (header === undefined) return { passes: undefined, visit: undefined };
  const cookies = parseCookie(header);
  const { passes: passesName, visit: visitName } = names(isSecure);
  const passes = cookies[passesName];
  const mark = cookies[visitName];
  return {
    passes: passes !== undefined && passes.length <= maxCookieLength ? passes : undefined,
    visit: mark !== undefined && /^[A-Za-z0-9_-]{22}$/.test(mark) ? mark : undefined,
  };
}

/** The `Set-Cookie` lines that keep these passes in the browser. */
export function keepCookies(
  bundle: string,
  passes: readonly Pass[],
  visit: string,
  policy: Policy,
  isSecure: boolean,
  now: number,
): string[] {
  const maxAge = longestRemaining(passes, policy, now);
  const lasting = maxAge === undefined ? {} : { maxAge };
  const { passes: passesName, visit: visitName, open } = names(isSecure);
  const base = { path: '/', sameSite: 'lax', secure: isSecure } as const;
  const locks = [...new Set(passes.map(({ l }) => l))].join('.');
  return [
    stringifySetCookie({ name: passesName, value: bundle, ...base, httpOnly: true, ...lasting }),
    stringifySetCookie({ name: visitName, value: visit, ...base, httpOnly: true }),
    // Grants nothing; a menu reads it to show the right entry without waiting.
    stringifySetCookie({ name: open, value: locks, ...base, ...lasting }),
  ];
}

/** The `Set-Cookie` lines that make the browser forget everything. */
export function forgetCookies(isSecure: boolean): string[] {
  const { passes, visit, open } = names(isSecure);
  return [passes, visit, open].map((name) =>
    stringifySetCookie({
      name,
      value: '',
      path: '/',
      sameSite: 'lax',
      secure: isSecure,
      httpOnly: name !== open,
      maxAge: 0,
    }),
  );
}

/** Seconds until the last lasting pass ends; undefined where all end with the visit. */
function longestRemaining(
  passes: readonly Pass[],
  policy: Policy,
  now: number,
): number | undefined {
  const remaining = passes.flatMap((pass) => {
    const remember = policy.locks.get(pass.l)?.remember;
    if (pass.v !== undefined || remember === undefined || remember.kind === 'visit') return [];
    return Math.max(0, Math.ceil(pass.t + remember.seconds - now));
  });
  return remaining.length === 0 ? undefined : Math.max(...remaining);
}
