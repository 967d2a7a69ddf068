import { askForWhole, ofWholeness, type AskedHeaders } from '../guard/page/held-answer.js';
import type { Guard } from '../guard/guard.js';
import type { PageFilter, Verdict } from '../guard/visit/visit.js';
import { finished, responseOf } from './fetch-answer.js';
import { FetchVisit } from './fetch-visit.js';
import { addressGiven } from './runtime-address.js';
import { webCodings } from './web-codings.js';

/** What answers requests of the fetch standard; what a runtime gives besides the request is handed on. */
export type FetchHandler<Rest extends unknown[]> = (request: Request, ...rest: Rest) => Response | Promise<Response>;

/** What a guard of fetch style is told of the runtime it stands in. */
export interface FetchOptions<Rest extends unknown[] = unknown[]> {
  /**
   * The address of the connection's other end, by which bypasses and guess budgets go. Nothing that the
   * visitor sends may be in it, or anybody could come from anywhere; a header only where the platform
   * itself sets it. @default what Deno, Bun and Hono on Node hand over; elsewhere none is known
   *
   * @example
   * guardFetch(guard, app.fetch, { address: (request) => request.headers.get('cf-connecting-ip') })
   */
  readonly address?: ((request: Request, ...rest: Rest) => string | null | undefined) | undefined;
}

/** Whether a lock is open to whom a request is from; for templates and menus. */
export type Opened = (request: Request, lock: string) => Promise<boolean>;

/** A guarded handler. */
export interface GuardedFetch<Rest extends unknown[]> {
  (request: Request, ...rest: Rest): Promise<Response>;
  /** @throws DorlinError `lock-unknown` */
  readonly opened: Opened;
}

/**
 * Puts the guard before a handler of fetch style: a Hono application, and whatever Deno, Bun, workers or
 * any other such runtime serves. The handler is asked for visitors who are let in and for open addresses
 * alone, by the address that was judged, in its normal form.
 *
 * @example
 * export default { fetch: guardFetch(guard, app.fetch) };
 */
export function guardFetch<Rest extends unknown[]>(
  guard: Guard,
  handler: FetchHandler<Rest>,
  { address = addressGiven }: FetchOptions<Rest> = {},
): GuardedFetch<Rest> {
  const guarded = async (request: Request, ...rest: Rest): Promise<Response> => {
    const visit = new FetchVisit(request, address(request, ...rest) ?? undefined);
    const found = guard.answer(visit);
    const verdict = found instanceof Promise ? await found : found;
    const { method } = request;
    if (verdict.kind === 'answer') return responseOf(verdict, method);
    const { asked, repeated } = handedOn(request, verdict, verdict.target === visit.target);
    cameFrom(asked, visit.address);
    const forced = verdict.kind === 'let-in' ? verdict.headers : undefined;
    const response = await handler(asked, ...rest);
    return finished(response, { forced, page: verdict.page, repeated, method, asked: asked.method });
  };
  return Object.assign(guarded, { opened: openedBy(guard) });
}

/** `opened` of a guard, by request: as it arrived, or as it was handed on. */
export function openedBy(guard: Guard): Opened {
  return async (request: Request & { [from]?: string }, lock) =>
    guard.opened(new FetchVisit(request, request[from]), lock);
}

const from = Symbol('dorlin.from');

/** Keeps where a request came from, on itself: a table of requests costs more than all else that is done with one. */
export function cameFrom(request: Request, address: string | undefined): void {
  if (address !== undefined) Reflect.set(request, from, address);
}

type LetThrough = Exclude<Verdict, { kind: 'answer' }>;

/** The request as it goes on: itself wherever nothing has to be changed, as some runtimes know it by that. */
export function handedOn(request: Request, { page, target, kind }: LetThrough, isSameTarget: boolean) {
  // Runtimes take a WebSocket's connection over by the very request that they gave. An answer that is none, and
  // that cannot be read as it comes then, is not shown.
  const isHandshake = request.headers.get('upgrade')?.toLowerCase() === 'websocket' && page?.isCertain !== true;
  const { headers, repeated } = page === undefined || isHandshake ? {} : askedForWhole(request, page);
  const isMissing = kind === 'missing';
  if (isSameTarget && !isMissing && headers === undefined) return { asked: request, repeated };
  // Put together, as a path that begins with two slashes would be taken for a host.
  const url = isSameTarget ? request.url : originOf(request) + target;
  // No body can be sent with it, and runtimes refuse to copy a method that none can have.
  if (isMissing && request.method === 'HEAD') {
    return { asked: new Request(url, { headers: headers ?? request.headers }), repeated };
  }
  const moved = isSameTarget ? request : new Request(url, request);
  return { asked: headers === undefined ? moved : new Request(moved, { headers }), repeated };
}

/** Scheme and host of a request whose URL was judged: it is in the one form that is read. */
const originOf = ({ url }: Request) => url.slice(0, url.indexOf('/', url.indexOf('//') + 2));

/**
 * What was sent before, where a page has to be asked for whole; and headers for another request, where they could
 * not be changed on this one.
 */
function askedForWhole(request: Request, page: PageFilter) {
  const { headers } = request;
  const before: Record<string, string> = {};
  for (const name of ofWholeness) {
    const value = headers.get(name);
    if (value !== null) before[name] = value;
  }
  const after: AskedHeaders = { ...before };
  const repeated = askForWhole(after, page, webCodings);
  const changes = ofWholeness.filter((name) => after[name] !== before[name]);
  // What has to be read by the guard cannot be read any more once the connection speaks another protocol. Some
  // runtimes know it by the request alone, so there must be another.
  const isUpgrade = page.isCertain && headers.has('upgrade');
  if (isUpgrade) changes.push('upgrade');
  if (changes.length === 0 || (!isUpgrade && isChanged(request, changes, after)))
    return { headers: undefined, repeated };
  const others = new Headers(headers);
  change(others, changes, after);
  return { headers: others, repeated };
}

function change(headers: Headers, names: readonly string[], to: AskedHeaders): void {
  for (const name of names) {
    const value = to[name];
    if (value === undefined) headers.delete(name);
    else headers.set(name, String(value));
  }
}

/** Changes headers where they are, as a new request costs many times more. @returns no where that cannot be done */
function isChanged(request: Request, names: readonly string[], to: AskedHeaders): boolean {
  try {
    change(request.headers, names, to);
  } catch {
    // Some runtimes let nobody change what arrived.
    return false;
  }
  // Others give copies.
  return names.every((name) => (request.headers.get(name) ?? undefined) === to[name]);
}
