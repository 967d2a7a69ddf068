import type {
  IncomingMessage,
  OutgoingHttpHeaders,
  RequestListener,
  ServerResponse,
} from 'node:http';
import type { Guard } from '../guard/guard.js';
import { holdPage } from './node-page.js';
import { mergedVary } from './vary.js';
import {
  missingTarget,
  type Verdict,
  type VerdictHeaders,
  type Visit,
  type VisitHeaders,
} from '../guard/visit.js';

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
    const { originalUrl, baseUrl, url = '/' } = request;
    const inner = baseUrl ? baseUrl + url : url;
    if (originalUrl === undefined || originalUrl === inner) {
      judge(guard, request, response, inner, next);
    } else {
      // Something before us rewrote the address: what it became must be open as well.
      judge(guard, request, response, originalUrl, () => {
        judge(guard, request, response, inner, next);
      });
    }
  };
}

/** Asks the guard about one address, and carries out what it says. */
function judge(
  guard: Guard,
  request: HandedRequest,
  response: ServerResponse,
  target: string,
  next: () => void,
): void {
  const carryOut = (verdict: Verdict) => {
    if (verdict.kind === 'answer') {
      send(response, request.method, verdict);
      return;
    }
    if (verdict.kind === 'let-in') forceHeaders(response, verdict.headers);
    if (verdict.kind === 'missing') askForNothing(request);
    if (verdict.page !== undefined) {
      holdPage(request, response, verdict.page, (answer) => {
        send(response, request.method, answer);
      });
    }
    next();
  };
  const verdict = guard.answer(new NodeVisit(request, target));
  if (verdict instanceof Promise) void verdict.then(carryOut);
  else carryOut(verdict);
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

/** Makes the application answer as to an address where there is nothing, without condition. */
function askForNothing(request: HandedRequest): void {
  const changed = request as { url?: string; originalUrl?: string };
  changed.url = missingTarget;
  if (changed.originalUrl !== undefined) changed.originalUrl = missingTarget;
  for (const name of [
    'range',
    'if-range',
    'if-match',
    'if-none-match',
    'if-modified-since',
    'if-unmodified-since',
  ]) {
    Reflect.deleteProperty(request.headers, name);
  }
}

/**
 * A request as the guard reads it, for `guard.opened`.
 *
 * @example
 * const showsLogs = await guard.opened(visitOf(request), 'members');
 */
export function visitOf(request: IncomingMessage): Visit {
  const { originalUrl, url = '/' } = request as HandedRequest;
  return new NodeVisit(request, originalUrl ?? url);
}

/** A request as a visit. What costs anything is only looked up when it is asked for. */
class NodeVisit implements Visit {
  readonly #request: HandedRequest;

  constructor(
    request: HandedRequest,
    readonly target: string,
  ) {
    this.#request = request;
  }
  get method(): string {
    return this.#request.method ?? 'GET';
  }
  get headers(): VisitHeaders {
    return this.#request.headers;
  }
  get raw(): IncomingMessage {
    return this.#request;
  }
  get encrypted(): boolean {
    return 'encrypted' in this.#request.socket;
  }
  get address(): string | undefined {
    return this.#request.socket.remoteAddress;
  }
  readBody(limit: number): Promise<string> {
    return readBody(this.#request, limit);
  }
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

type WriteHead = (status: number, headers: OutgoingHttpHeaders) => ServerResponse;

/** Sets headers at the last moment, over whatever the application has set or passes along. */
function forceHeaders(response: ServerResponse, forced: VerdictHeaders): void {
  const writeHead = response.writeHead.bind(response) as WriteHead;
  response.writeHead = (status: number, ...rest: unknown[]): ServerResponse => {
    const given = rest.at(-1);
    // Handed on in one object: Node is quicker with that than with headers set one by one.
    const headers: Record<string, unknown> = {};
    let vary = response.getHeader('vary');
    let written: string[] | undefined;
    const keep = (name: string, value: unknown) => {
      const known = name.toLowerCase();
      if (known === 'vary') vary = value as string;
      // Ours are added to what the application sets.
      else if (known === 'set-cookie')
        written = [...(written ?? []), ...([value].flat() as string[])];
      else if (!(known in forced)) {
        headers[name] = name in headers ? [headers[name], value].flat() : value;
      }
    };
    if (Array.isArray(given)) {
      for (let at = 0; at < given.length; at += 2) keep(String(given[at]), given[at + 1]);
    } else if (typeof given === 'object' && given !== null) {
      for (const name in given) keep(name, (given as Record<string, unknown>)[name]);
    }
    for (const name in forced) headers[name] = forced[name];
    const cookies = [
      written ?? (response.getHeader('set-cookie') as string[] | undefined) ?? [],
      forced['set-cookie'] ?? [],
    ].flat(2);
    if (cookies.length > 0) headers['set-cookie'] = cookies;
    if (vary !== undefined)
      headers['vary'] = mergedVary(String(vary), String(forced['vary'] ?? ''));
    if (typeof rest[0] === 'string') response.statusMessage = rest[0];
    return writeHead(status, headers as OutgoingHttpHeaders);
  };
}

function setHeaders(response: ServerResponse, headers: VerdictHeaders): void {
  for (const name in headers) response.setHeader(name, headers[name] as string | string[]);
}
