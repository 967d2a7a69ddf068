import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http';
import { textAnswer } from '../guard/answers/answers.js';
import type { Guard } from '../guard/guard.js';
import type { Answer, Verdict } from '../guard/visit/visit.js';
import { NodeVisit, visitOf, type HandedRequest } from './node-visit.js';
import { sendAnswer } from './send-answer.js';
import { takeAnswer } from './taken-answer.js';

/** Middleware for Connect and Express. Put it before everything that serves what is locked. */
export interface GuardMiddleware {
  (request: IncomingMessage, response: ServerResponse, next: (error?: unknown) => void): void;
  /**
   * Whether a lock is open to whom a request is from; for templates and menus.
   * @throws DorlinError `lock-unknown`
   */
  readonly opened: (request: IncomingMessage, lock: string) => Promise<boolean>;
}

/**
 * Makes the guard a middleware. `next` is called for visitors who are let in and for open addresses,
 * and only then; the request's address is then what was judged, in its normal form.
 *
 * Mounted under a prefix it judges what arrives there alone: whatever else serves the same files is
 * not guarded. It says so once, as a process warning `DORLIN_MOUNTED`.
 */
export function guardMiddleware(guard: Guard): GuardMiddleware {
  const middleware = (request: HandedRequest, response: ServerResponse, handOn: (error?: unknown) => void) => {
    // Routers take anything that they are given for an error.
    const next = () => {
      handOn();
    };
    const { originalUrl, baseUrl = '', url = '/' } = request;
    const inner = baseUrl + url;
    if (originalUrl === undefined || originalUrl === inner) {
      if (baseUrl !== '') warnOfMount(baseUrl);
      judge(guard, request, response, { target: inner, sets: 'both' }, next);
      return;
    }
    // Routers put the prefix back by counting letters, of the host as well where there is one.
    if (!originalUrl.startsWith('/') || !url.startsWith('/')) {
      judge(guard, request, response, { target: '', sets: 'both' }, next);
      return;
    }
    if (originalUrl.endsWith(url)) warnOfMount(originalUrl.slice(0, -url.length));
    // Something before us rewrote the address: what it became must be open as well.
    judge(guard, request, response, { target: originalUrl, sets: 'original' }, (isHidden) => {
      if (isHidden) next();
      else judge(guard, request, response, { target: inner, sets: 'inner' }, next);
    });
  };
  const opened = async (request: IncomingMessage, lock: string) => guard.opened(visitOf(request), lock);
  return Object.assign(middleware, { opened });
}

/** What is to be judged, and which of a request's addresses it is. */
interface Judged {
  readonly target: string;
  readonly sets: 'original' | 'inner' | 'both';
}

/** Asks the guard about one address, and carries out what it says. */
function judge(
  guard: Guard,
  request: HandedRequest,
  response: ServerResponse,
  { target, sets }: Judged,
  next: (isHidden?: boolean) => void,
): void {
  const answer = (verdict: Answer) => {
    sendAnswer(request, response, verdict);
  };
  const carryOut = (verdict: Verdict) => {
    if (verdict.kind === 'answer') {
      answer(verdict);
      return;
    }
    const isHidden = verdict.kind === 'missing';
    if (!setTarget(request, verdict.target, isHidden ? 'both' : sets, isHidden)) {
      answer(strangePrefix);
      return;
    }
    const forced = verdict.kind === 'let-in' ? verdict.headers : undefined;
    takeAnswer(request, response, { forced, page: verdict.page });
    // Node sends no body to whoever asked with HEAD, and so tells the length of the one there would be.
    if (isHidden && request.method === 'HEAD') request.method = 'GET';
    next(isHidden);
  };
  const verdict = guard.answer(new NodeVisit(request, target));
  if (verdict instanceof Promise) void verdict.then(carryOut);
  else carryOut(verdict);
}

/**
 * Puts the judged target in the place of what arrived. Mounted under a prefix, a router shows what
 * follows it, and puts the prefix back as it was sent.
 *
 * @returns no where that prefix is no normal form itself: then something else would be passed on
 */
function setTarget(request: HandedRequest, target: string, sets: Judged['sets'], isHidden: boolean): boolean {
  const changed = request as { url?: string; originalUrl?: string };
  const { baseUrl = '', originalUrl } = request;
  if (sets !== 'original') {
    const isBelow = isHidden || target.startsWith(baseUrl);
    if (!isBelow) return false;
    const rest = isHidden ? target : target.slice(baseUrl.length);
    changed.url = rest.startsWith('/') ? rest : `/${rest}`;
  }
  if (originalUrl !== undefined && sets !== 'inner') {
    changed.originalUrl = isHidden ? baseUrl + target : target;
  }
  return true;
}

const strangePrefix: Answer = textAnswer(
  400,
  'This address cannot be read for certain: its beginning is encoded without need.',
);

let isMountTold = false;

function warnOfMount(prefix: string): void {
  if (isMountTold || prefix === '') return;
  isMountTold = true;
  process.emitWarning(
    `The guard is mounted at ${prefix} and judges what arrives there alone. Files that are served from anywhere else, from the root for example, are not guarded. Put it before everything: app.use(guardMiddleware(guard)).`,
    { type: 'DorlinWarning', code: 'DORLIN_MOUNTED' },
  );
}

/** Puts the guard in front of a `node:http` request listener. */
export function guardListener(guard: Guard, listener: RequestListener): RequestListener {
  const middleware = guardMiddleware(guard);
  return (request, response) => {
    middleware(request, response, () => {
      listener(request, response);
    });
  };
}
