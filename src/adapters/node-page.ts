import type { IncomingMessage, OutgoingHttpHeader, ServerResponse } from 'node:http';
import { promisify } from 'node:util';
import { brotliCompress, brotliDecompress, deflate, gunzip, gzip, inflate } from 'node:zlib';
import { bothFilters } from '../guard/page/both-filters.js';
import { bothForced, withForced } from '../guard/page/forced-headers.js';
import {
  askForWhole,
  HeldAnswer,
  holdOrPass,
  ofBody,
  type AnswerHead,
  type BodyTools,
  type HeldOutcome,
} from '../guard/page/held-answer.js';
import type { Answer, PageFilter, RepeatedPage, VerdictHeaders } from '../guard/visit/visit.js';
import { headersIn } from './written-headers.js';

const decoders = new Map(
  Object.entries({ gzip: gunzip, 'x-gzip': gunzip, br: brotliDecompress, deflate: inflate }).map(
    ([name, work]) => [name, promisify<Uint8Array, object, Buffer>(work)],
  ),
);
const encoders = new Map(
  Object.entries({ gzip, 'x-gzip': gzip, br: brotliCompress, deflate }).map(([name, work]) => [
    name,
    promisify<Uint8Array, object, Buffer>(work),
  ]),
);

const tools: BodyTools = {
  decode: (coding, body, most) => decoders.get(coding)?.(body, { maxOutputLength: most }),
  encode: (coding, body) => encoders.get(coding)?.(body, {}),
  joined: (pieces) => (pieces.length === 1 && pieces[0] !== undefined ? pieces[0] : Buffer.concat(pieces)), // prettier-ignore
  letters: (body) => Buffer.from(body.buffer, body.byteOffset, body.length).toString('latin1'),
};

const taken = Symbol('dorlin.taken');
type TakenResponse = ServerResponse & { [taken]?: TakenAnswer };
type AnyFunction = (...all: unknown[]) => unknown;

/** Answers in the place of the application. */
export function sendAnswer(
  { method }: IncomingMessage,
  response: ServerResponse,
  { status, headers, body }: Answer,
  // Called on the response alone.
  // eslint-disable-next-line @typescript-eslint/unbound-method
  end: AnyFunction = response.end as AnyFunction,
): void {
  response.statusCode = status;
  for (const name in headers) response.setHeader(name, headers[name] as string | string[]);
  response.setHeader('content-length', Buffer.byteLength(body));
  end.call(response, method === 'HEAD' ? undefined : body);
}

/** What a verdict has to do with the application's answer. */
export interface Taking {
  /** Set at the last moment, over whatever the application has set or passes along. */
  readonly forced: VerdictHeaders | undefined;
  /** Given the answer, where it may have sections; it is held back until it is whole then. */
  readonly page: PageFilter | undefined;
}

/** Takes the application's answer in hand, as far as a verdict says. */
export function takeAnswer(
  request: IncomingMessage,
  response: ServerResponse,
  { forced, page }: Taking,
): void {
  if (forced === undefined && page === undefined) return;
  const repeated = page === undefined ? undefined : askForWhole(request.headers, page);
  const before = (response as TakenResponse)[taken];
  // A guard stands in the chain twice, or judged two addresses.
  if (before !== undefined) before.also(forced, page);
  else (response as TakenResponse)[taken] = new TakenAnswer(request, response, forced, page, repeated); // prettier-ignore
}

// Functions that all responses share, as making them anew for each would cost more than the rest. They
// stay: what wraps them later calls them, and must find the way to Node.
function writeHead(this: TakenResponse, ...all: unknown[]): unknown {
  return of(this).writeHead(all);
}
function flushHeaders(this: TakenResponse): void {
  const one = of(this);
  if (one.passes()) one.own.flushHeaders.call(this);
}
function write(this: TakenResponse, chunk: unknown, encoding: unknown, callback: unknown): unknown {
  const one = of(this);
  if (one.passes()) return (one.own.write as AnyFunction).call(this, chunk, encoding, callback);
  one.keep(chunk, encoding);
  const told = typeof encoding === 'function' ? encoding : callback;
  if (typeof told === 'function') process.nextTick(told);
  return true;
}
function end(this: TakenResponse, chunk: unknown, encoding: unknown, callback: unknown): unknown {
  const one = of(this);
  if (one.passes()) return (one.own.end as AnyFunction).call(this, chunk, encoding, callback);
  one.keep(chunk, encoding);
  one.finish([chunk, encoding, callback].find((given) => typeof given === 'function') as (() => void) | undefined); // prettier-ignore
  return this;
}
function of(response: TakenResponse): TakenAnswer {
  const found = response[taken];
  if (found === undefined) throw new Error('an answer that was not taken was written as if it were'); // prettier-ignore
  return found;
}

/** One answer of the application in hand: what Node lets it do is translated for the guard. */
class TakenAnswer implements AnswerHead {
  readonly own: Pick<ServerResponse, 'writeHead' | 'write' | 'end' | 'flushHeaders'>;
  #state: 'unknown' | 'held' | 'passing' = 'unknown';
  #held: HeldAnswer | undefined;
  /** What the application gave to `writeHead`; its headers are not set until that must be. */
  #head: unknown[] | undefined;
  /** Whether the visitor asked for the head alone; the application may be asked for more. */
  readonly #isHead: boolean;

  constructor(
    readonly request: IncomingMessage,
    readonly response: ServerResponse,
    private forced: VerdictHeaders | undefined,
    private page: PageFilter | undefined,
    private repeated: RepeatedPage | undefined,
  ) {
    // Given back as they are, and called on the response alone.
    // eslint-disable-next-line @typescript-eslint/unbound-method
    this.own = { writeHead: response.writeHead, write: response.write, end: response.end, flushHeaders: response.flushHeaders }; // prettier-ignore
    this.#isHead = request.method === 'HEAD';
    response.writeHead = writeHead as ServerResponse['writeHead'];
    if (page === undefined) this.#state = 'passing';
    else this.#hold();
  }

  #hold(): void {
    const { response } = this;
    response.write = write as ServerResponse['write'];
    response.end = end as ServerResponse['end'];
    response.flushHeaders = flushHeaders;
  }

  /** The same for one more verdict. */
  also(forced: VerdictHeaders | undefined, page: PageFilter | undefined): void {
    if (this.response.headersSent) {
      // What this verdict says of it can no longer be done.
      this.response.destroy();
      return;
    }
    if (forced !== undefined)
      this.forced = this.forced === undefined ? forced : bothForced(this.forced, forced);
    if (page === undefined) return;
    if (this.page === undefined) {
      this.page = page;
      this.#state = 'unknown';
      this.#hold();
      return;
    }
    this.page = bothFilters(page, this.page);
    this.#held?.also(page);
    if (this.repeated !== undefined) Reflect.deleteProperty(this.request.headers, 'if-none-match');
    this.repeated = undefined;
  }

  get status(): number {
    return this.response.statusCode;
  }
  header(name: string): string {
    let value = this.response.getHeader(name);
    const given: unknown = this.#head?.at(-1);
    if (Array.isArray(given)) {
      for (const [other, one] of headersIn(given))
        if (other.toLowerCase() === name) value = one as OutgoingHttpHeader;
    } else if (typeof given === 'object' && given !== null) {
      // Without a list of them all, as this is done at every answer.
      for (const other in given) {
        if (other.length === name.length && other.toLowerCase() === name)
          value = (given as Record<string, OutgoingHttpHeader>)[other];
      }
    }
    return value === undefined ? '' : typeof value === 'string' ? value : [value].flat().join(', ');
  }
  headers(): VerdictHeaders {
    const given = headersIn(this.#head?.at(-1)).map(([name, value]) => [name.toLowerCase(), value]);
    const all = { ...this.response.getHeaders(), ...(Object.fromEntries(given) as object) };
    return Object.fromEntries(
      Object.entries(all).map(([name, value = '']) => [name, Array.isArray(value) ? value.map(String) : String(value)]), // prettier-ignore
    );
  }

  writeHead(all: unknown[]): unknown {
    const { response } = this;
    if (this.#state === 'unknown') {
      this.#head = all;
      response.statusCode = Number(all[0]);
    }
    if (!this.passes()) return response;
    const { forced } = this;
    const given = forced === undefined ? all : this.#forcedHead(all, forced);
    return (this.own.writeHead as AnyFunction).apply(response, given);
  }

  /** In one list: Node is quicker with that than with headers set one by one. */
  #forcedHead(all: unknown[], forced: VerdictHeaders): unknown[] {
    const { response } = this;
    if (typeof all[1] === 'string') response.statusMessage = all[1];
    const given = all.at(-1);
    const written = Array.isArray(given)
      ? headersIn(given)
      : typeof given === 'object'
        ? (given ?? {})
        : {};
    const headers = withForced(
      written as Record<string, unknown>,
      (name) => response.getHeader(name),
      forced,
    );
    return [all[0], headers];
  }

  /** Whether the answer passes by; found out when its first byte or its headers are written. */
  passes(): boolean {
    if (this.#state === 'unknown' && this.page !== undefined) {
      const { page, repeated, request } = this;
      const found = holdOrPass(page, repeated, request.method, this);
      if (found === 'hold') {
        this.#held = new HeldAnswer(page, repeated, this.#isHead, tools);
        this.#state = 'held';
      } else {
        if (found === 'pass-bodiless') this.#setHead(ofBody);
        this.#state = 'passing';
      }
    }
    return this.#state !== 'held';
  }

  keep(chunk: unknown, encoding: unknown): void {
    if (chunk === undefined || chunk === null || typeof chunk === 'function') return;
    const bytes =
      typeof chunk === 'string'
        ? Buffer.from(chunk, typeof encoding === 'string' ? (encoding as BufferEncoding) : 'utf8')
        : // A copy: the application may write something else into it.
          Buffer.from(chunk as Uint8Array);
    this.#held?.keep(bytes);
  }

  finish(done: (() => void) | undefined): void {
    const carryOut = (outcome: HeldOutcome) => {
      this.#state = 'passing';
      this.#carryOut(outcome);
      done?.();
    };
    const outcome = this.#held?.finish(this);
    if (!(outcome instanceof Promise)) carryOut(outcome ?? { kind: 'broken' });
    else outcome.then(carryOut).catch(() => this.response.destroy());
  }

  #carryOut(outcome: HeldOutcome): void {
    const { response } = this;
    // What wraps it has had its end already.
    const end = (body: Uint8Array | undefined) =>
      (this.own.end as AnyFunction).call(response, body);
    if (outcome.kind === 'broken') response.destroy();
    else if (outcome.kind === 'replaced') {
      for (const name of response.getHeaderNames()) response.removeHeader(name);
      response.statusMessage = '';
      sendAnswer(this.request, response, outcome.answer, this.own.end as AnyFunction);
    } else if (outcome.kind === 'as-given') {
      if (this.#head !== undefined) this.writeHead(this.#head);
      end(outcome.body);
    } else {
      this.#setHead(outcome.without);
      if (outcome.status !== undefined) {
        response.statusCode = outcome.status;
        response.statusMessage = '';
      }
      const { missing = {}, headers, body } = outcome;
      for (const name in missing) if (!response.hasHeader(name)) response.setHeader(name, missing[name] as string); // prettier-ignore
      for (const name in headers) response.setHeader(name, headers[name] as string | string[]);
      end(body);
    }
  }

  /** Sets what was given to `writeHead`, so that it can be changed, and takes some of it out. */
  #setHead(without: readonly string[]): void {
    const { response } = this;
    const head = this.#head;
    this.#head = undefined;
    if (typeof head?.[1] === 'string') response.statusMessage = head[1];
    const seen = new Set<string>();
    for (const [name, value] of headersIn(head?.at(-1))) {
      const key = name.toLowerCase();
      const before = seen.has(key) ? response.getHeader(key) : undefined;
      seen.add(key);
      response.setHeader(name, (before === undefined ? value : [before, value].flat()) as string);
    }
    if (head !== undefined) head.length = 1;
    for (const name of without) response.removeHeader(name);
  }
}
