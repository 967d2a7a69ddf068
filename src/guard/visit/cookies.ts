import { parseCookie, stringifySetCookie } from 'cookie';
import type { Pass } from '../../core/passes/pass.js';
import type { Policy } from '../../core/policy/types.js';
import { headerOf, type Visit } from './visit.js';

/** The cookies of a visit; the `__Host-` prefix (RFC 6265bis) is used where the scheme allows it. */
export interface VisitCookies {
  /** The signed passes, not verified yet. */
  readonly passes: string | undefined;
  /** The mark of this session; gone when the browser closes. */
  readonly session: string | undefined;
  /** What says that this browser has opened locks before, not verified yet. */
  readonly known: string | undefined;
  /** The names of open locks, as scripts are told them. */
  readonly open: string | undefined;
  /** Since when this browser sees the site as the public does, in seconds since 1970. */
  readonly publicSince: number | undefined;
  /** Whether the bar for those let in by a bypass was put away. */
  readonly isRibbonAway: boolean;
}

const noCookies: VisitCookies = {
  passes: undefined,
  session: undefined,
  known: undefined,
  open: undefined,
  publicSince: undefined,
  isRibbonAway: false,
};

const plainNames = {
  passes: 'dorlin',
  session: 'dorlin-visit',
  known: 'dorlin-known',
  open: 'dorlin-open',
  view: 'dorlin-view',
  ribbon: 'dorlin-ribbon',
};
const secureNames = {
  passes: '__Host-dorlin',
  session: '__Host-dorlin-visit',
  known: '__Host-dorlin-known',
  open: 'dorlin-open',
  view: '__Host-dorlin-view',
  ribbon: '__Host-dorlin-ribbon',
};
const names = (isSecure: boolean) => (isSecure ? secureNames : plainNames);

/** Longest cookie value that is looked at. */
const maxCookieLength = 4096;

/** How long the value with the passes may be: browsers keep no cookie of more, with its name (RFC 6265bis section 5.7). */
export const passesRoom = maxCookieLength - secureNames.passes.length - 1;

/** Room for the names of open locks, which scripts read. */
const openRoom = 3800;

export function readCookies(visit: Visit, isSecure: boolean, now: number): VisitCookies {
  const header = headerOf(visit, 'cookie');
  if (header === undefined) return noCookies;
  const cookies = parseCookie(header);
  const name = names(isSecure);
  const mark = cookies[name.session];
  return {
    passes: notTooLong(cookies[name.passes]),
    session: mark !== undefined && sessionMark.test(mark) ? mark : undefined,
    known: notTooLong(cookies[name.known]),
    open: cookies[name.open],
    publicSince: readMoment(cookies[name.view], now),
    isRibbonAway: cookies[name.ribbon] === 'away',
  };
}

/**
 * One that cannot be read is taken for the beginning of all: it can only take rights away. One that lies in the future
 * is not ours: no password that is typed now could open anything by it.
 */
function readMoment(text: string | undefined, now: number): number | undefined {
  if (text === undefined) return undefined;
  const since = /^\d{1,12}$/.test(text) ? Number(text) : 0;
  return since > now + clockSkew ? undefined : since;
}

/** Another machine of the same site may have set it, in seconds. */
const clockSkew = 60;

/** The `Set-Cookie` line that keeps since when the browser sees the site as the public does. */
export function viewCookie(since: number | undefined, isSecure: boolean): string {
  const about = { path: '/', sameSite: 'lax', secure: isSecure, httpOnly: true } as const;
  return since === undefined
    ? stringifySetCookie({ name: names(isSecure).view, value: '', ...about, maxAge: 0 })
    : stringifySetCookie({ name: names(isSecure).view, value: String(Math.floor(since)), ...about });
}

/** The `Set-Cookie` line that puts the bar away while the browser is open. */
export function ribbonCookie(isSecure: boolean): string {
  const about = { path: '/', sameSite: 'lax', secure: isSecure, httpOnly: true } as const;
  return stringifySetCookie({ name: names(isSecure).ribbon, value: 'away', ...about });
}

const sessionMark = /^[A-Za-z0-9_-]{22}$/;

function notTooLong(value: string | undefined): string | undefined {
  return value !== undefined && value.length <= maxCookieLength ? value : undefined;
}

/** What a browser is to keep. */
export interface KeptCookies {
  /** The passes, packed and plain. */
  readonly bundle: string;
  readonly passes: readonly Pass[];
  readonly session: string;
  readonly known: string;
}

/** The longest that browsers keep a cookie (RFC 6265bis section 5.5), in seconds. */
const longestAge = 400 * 24 * 60 * 60;

/** The `Set-Cookie` lines that keep these in the browser. */
export function keepCookies(
  { bundle, passes, session, known }: KeptCookies,
  policy: Policy,
  isSecure: boolean,
  now: number,
): string[] {
  const maxAge = longestRemaining(passes, policy, now);
  const lasting = maxAge === undefined ? {} : { maxAge: Math.min(maxAge, longestAge) };
  const name = names(isSecure);
  const base = { path: '/', sameSite: 'lax', secure: isSecure } as const;
  const hidden = { ...base, httpOnly: true };
  const locks = [...new Set(passes.map(({ l }) => l))];
  return [
    stringifySetCookie({ name: name.passes, value: bundle, ...hidden, ...lasting }),
    stringifySetCookie({ name: name.session, value: session, ...hidden }),
    stringifySetCookie({ name: name.known, value: known, ...hidden, maxAge: longestAge }),
    openCookie(locks, passes, policy, isSecure, now),
  ];
}

/**
 * The `Set-Cookie` line with the names of open locks. It grants nothing; a menu reads it to show the
 * right entry without waiting.
 */
export function openCookie(
  locks: readonly string[],
  passes: readonly Pass[],
  policy: Policy,
  isSecure: boolean,
  now: number,
): string {
  const maxAge = longestRemaining(passes, policy, now);
  return stringifySetCookie({
    name: names(isSecure).open,
    value: joinedUpTo(locks, openRoom),
    path: '/',
    sameSite: 'lax',
    secure: isSecure,
    ...(maxAge === undefined ? {} : { maxAge: Math.min(maxAge, longestAge) }),
  });
}

/** Names with dots between, as many as there is room for. */
function joinedUpTo(names: readonly string[], room: number): string {
  let text = '';
  for (const name of names) {
    const longer = text === '' ? name : `${text}.${name}`;
    if (longer.length > room) break;
    text = longer;
  }
  return text;
}

/**
 * The `Set-Cookie` lines that make the browser forget its passes. That it is known stays: it
 * opens nothing, and without it a stranger's guesses could keep this visitor out.
 */
export function forgetCookies(isSecure: boolean): string[] {
  const { passes, session, open } = names(isSecure);
  return [passes, session, open].map((name) =>
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
function longestRemaining(passes: readonly Pass[], policy: Policy, now: number): number | undefined {
  const remaining = passes.flatMap((pass) => {
    const remember = policy.locks.get(pass.l)?.remember;
    if (pass.v !== undefined || remember === undefined || remember.kind === 'visit') return [];
    return Math.ceil(pass.t + remember.seconds - now);
  });
  return remaining.length === 0 ? undefined : Math.max(...remaining);
}

/** The request header `Cookie` of a browser on https with these passes, in this visit. */
export const passCookies = (bundle: string, session: string) =>
  `${secureNames.passes}=${bundle}; ${secureNames.session}=${session}`;
