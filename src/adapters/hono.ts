import { movedTo, textAnswer } from '../guard/answers/answers.js';
import type { Guard } from '../guard/guard.js';
import type { Verdict } from '../guard/visit/visit.js';
import { finished, responseOf } from './fetch-answer.js';
import { FetchVisit } from './fetch-visit.js';
import { cameFrom, handedOn, openedBy, type FetchOptions, type Opened } from './fetch.js';
import { addressGiven } from './runtime-address.js';

/** As much of a Hono context as is used. */
export interface HonoContext {
  readonly req: { raw: Request; readonly path?: string };
  readonly env: unknown;
  get res(): Response;
  set res(response: Response | undefined);
  notFound(): Response | Promise<Response>;
}

/** Middleware for Hono 4. */
export interface GuardHono {
  (context: HonoContext, next: () => Promise<void>): Promise<Response | undefined>;
  /** @throws DorlinError `lock-unknown` */
  readonly opened: Opened;
}

/**
 * The guard as a middleware of Hono. Put it before everything that serves what is locked; where you can,
 * put `guardFetch` around the application instead, which sees all that arrives.
 *
 * A route has been chosen by then, by the address as it arrived. One that is not in its normal form is
 * therefore sent there first, by `308`: no route may be asked for another address than was judged.
 *
 * @example
 * app.use(guardHono(guard));
 */
export function guardHono(guard: Guard, { address = addressGiven }: FetchOptions = {}): GuardHono {
  const middleware = async (context: HonoContext, next: () => Promise<void>): Promise<Response | undefined> => {
    const request = context.req.raw;
    const visit = new FetchVisit(request, address(request, context.env) ?? undefined);
    const found = guard.answer(visit);
    const verdict = found instanceof Promise ? await found : found;
    const { method } = request;
    if (verdict.kind === 'answer') return responseOf(verdict, method);
    const isMissing = verdict.kind === 'missing';
    if (!isMissing && verdict.target !== visit.target && !isSameAddress(request, verdict.target))
      return responseOf(movedTo(verdict.target), 'GET');
    if (!(await isOpenByPath(guard, context, visit, verdict))) return responseOf(otherPath, method);
    const { asked, repeated } = handedOn(request, isMissing ? { ...verdict, kind: 'open' } : verdict, true);
    cameFrom(asked, visit.address);
    context.req.raw = asked;
    const finishing = {
      forced: verdict.kind === 'let-in' ? verdict.headers : undefined,
      page: verdict.page,
      repeated,
      method,
      asked: isMissing && method === 'HEAD' ? 'GET' : method,
    };
    // What the application says where there is nothing, by whatever route it would have been.
    if (isMissing) return finished(await context.notFound(), finishing);
    await next();
    const response = await finished(context.res, finishing);
    if (response !== context.res) {
      // Set anew, Hono would keep headers of the one before.
      context.res = undefined;
      context.res = response;
    }
    return undefined;
  };
  return Object.assign(middleware, { opened: openedBy(guard) });
}

/**
 * Whether the path that Hono routes by is open too, if its `getPath` makes another one of the URL. Nothing can be
 * cut out of such a page, as the address of the page that is sent is not known.
 */
async function isOpenByPath(guard: Guard, { req }: HonoContext, visit: FetchVisit, verdict: Verdict): Promise<boolean> {
  const { path } = req;
  const judged = visit.target.split('?', 1)[0] ?? '';
  if (path === undefined || path === judged || path === decoded(judged)) return true;
  const found = await guard.answer(new PathVisit(visit.raw, visit.address, encodeURI(path)));
  const isIn = found.kind === 'open' || found.kind === 'let-in';
  return isIn && (verdict.kind === 'missing' || found.page?.mayCut !== true);
}

class PathVisit extends FetchVisit {
  constructor(
    raw: Request,
    address: string | undefined,
    override readonly target: string,
  ) {
    super(raw, address);
  }
}

function decoded(path: string): string {
  try {
    return decodeURI(path);
  } catch {
    return path;
  }
}

const otherPath = textAnswer(403, 'The path that this application routes by is locked.');

/** Whether an address is the judged one, but for what reading it as an address changes. */
function isSameAddress({ url }: Request, target: string): boolean {
  const { origin, pathname, search } = new URL(url);
  return new URL(origin + target).href === origin + pathname + search;
}
