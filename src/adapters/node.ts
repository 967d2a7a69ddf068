import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http';
import type { Guard } from '../guard/guard.js';
import type { Verdict, VerdictHeaders, Visit } from '../guard/visit.js';

/** A request as Connect and Express hand it on: they keep the address as it arrived. */
type HandedRequest = IncomingMessage & {
  readonly originalUrl?: string;
  readonly baseUrl?: string;
  readonly body?: unknown;
};

/** Middleware for Connect and Express. Put it before everything that serves what is locked. */
export type GuardMiddleware = (
  request: IncomingMessage,
  response: ServerResponse,
  next: (error?: unknown) => void,
) => void;

/**
 * Makes the guard a middleware. `next` is called for visitors who are let in and for open
 * addresses, and only then.
 */
export function guardMiddleware(guard: Guard): GuardMiddleware {
  return (request: HandedRequest, response, next) => {
    const { originalUrl, baseUrl = '', url = '/' } = request;
    const arrived = originalUrl ?? url;
    const carryOut = (verdict: Verdict, then: () => void) => {
      if (verdict.kind === 'answer') send(response, request.method, verdict);
      else {
        if (verdict.kind === 'let-in') forceHeaders(response, verdict.headers);
        then();
      }
    };
    const judge = (target: string, then: () => void) => {
      const verdict = guard.answer(visitOf(request, target));
      if (verdict instanceof Promise)
        void verdict.then((late) => {
          carryOut(late, then);
        });
      else carryOut(verdict, then);
    };
    const inner = baseUrl + url;
    judge(arrived, () => {
      // Something before us rewrote the address: what will be served must be open as well.
      if (inner !== arrived) judge(inner, next);
      else next();
    });
  };
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

function visitOf(request: HandedRequest, target: string): Visit {
  return {
    method: request.method ?? 'GET',
    target,
    headers: request.headers,
    encrypted: 'encrypted' in request.socket,
    address: request.socket.remoteAddress,
    readBody: (limit) => readBody(request, limit),
  };
}

async function readBody(request: HandedRequest, limit: number): Promise<string> {
  const { body } = request;
  if (typeof body === 'string') return body;
  if (typeof body === 'object' && body !== null && !Buffer.isBuffer(body)) {
    // A body parser was here before us; write its result as it came.
    const isJson = request.headers['content-type']?.includes('json') === true;
    const entries = Object.entries(body).filter(([, value]) => typeof value === 'string');
    return isJson ? JSON.stringify(body) : new URLSearchParams(entries).toString();
  }
  const chunks: Buffer[] = [];
  let length = 0;
  for await (const chunk of request as AsyncIterable<Buffer>) {
    length += chunk.length;
    if (length > limit) throw new Error(`the form is longer than ${limit} bytes`);
    chunks.push(chunk);
  }
  return Buffer.concat(chunks).toString('utf8');
}

function send(
  response: ServerResponse,
  method: string | undefined,
  { status, headers, body }: Extract<Verdict, { kind: 'answer' }>,
): void {
  response.statusCode = status;
  setHeaders(response, headers);
  response.setHeader('content-length', Buffer.byteLength(body));
  response.end(method === 'HEAD' ? undefined : body);
}

/** Sets headers at the last moment, over whatever the application has set or passes along. */
function forceHeaders(response: ServerResponse, headers: VerdictHeaders): void {
  const writeHead = response.writeHead.bind(response) as (...all: unknown[]) => ServerResponse;
  response.writeHead = (status: number, ...rest: unknown[]): ServerResponse => {
    const [reason, given] = typeof rest[0] === 'string' ? rest : [undefined, rest[0]];
    if (Array.isArray(given)) {
      for (let at = 0; at < given.length; at += 2) {
        response.setHeader(String(given[at]), given[at + 1] as string);
      }
    } else if (given) setHeaders(response, given as VerdictHeaders);
    const vary = String(response.getHeader('vary') ?? '');
    setHeaders(response, headers);
    if (vary !== '' && !/\bcookie\b/i.test(vary)) {
      response.setHeader('vary', vary === '*' ? vary : `${vary}, Cookie`);
    }
    return reason === undefined ? writeHead(status) : writeHead(status, reason);
  };
}

function setHeaders(response: ServerResponse, headers: VerdictHeaders): void {
  for (const name in headers) response.setHeader(name, headers[name] as string | string[]);
}
