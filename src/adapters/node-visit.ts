import type { IncomingMessage } from 'node:http';
import { FormTooLong } from '../guard/visit/form.js';
import type { Visit, VisitHeaders } from '../guard/visit/visit.js';

/** A request as Connect and Express hand it on: they keep the address as it arrived. */
export type HandedRequest = IncomingMessage & {
  readonly originalUrl?: string;
  readonly baseUrl?: string;
  readonly body?: unknown;
};

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
export class NodeVisit implements Visit {
  readonly #request: HandedRequest;
  #settled: VisitHeaders | undefined;

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
    return this.#settled ?? this.#request.headers;
  }
  settle(): void {
    this.#settled ??= { ...this.#request.headers };
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
  // Not destroyed where it is too long: its sender is to be told so.
  for await (const chunk of request.iterator({ destroyOnReturn: false })) {
    length += (chunk as Buffer).length;
    if (length > limit) {
      request.resume();
      throw new FormTooLong();
    }
    chunks.push(chunk as Buffer);
  }
  return Buffer.concat(chunks).toString('utf8');
}
