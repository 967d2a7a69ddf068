import { ServerResponse, type IncomingMessage } from 'node:http';
import { bothFilters } from '../guard/page/both-filters.js';
import { bothForced } from '../guard/page/forced-headers.js';
import { askForWhole, HeldAnswer, holdOrPass, ofBody, type HeldOutcome } from '../guard/page/held-answer.js';
import type { PageFilter, RepeatedPage, VerdictHeaders } from '../guard/visit/visit.js';
import { bodyTools } from './node-codings.js';
import type { AnyFunction } from './send-answer.js';
import { writeOutcome } from './write-outcome.js';
import { forcedHead, WrittenHead } from './written-head.js';

const taken = Symbol('dorlin.taken');
type TakenResponse = ServerResponse & { [taken]?: TakenAnswer };

/** What a verdict has to do with the application's answer. */
export interface Taking {
  /** Set at the last moment, over whatever the application has set or passes along. */
  readonly forced: VerdictHeaders | undefined;
  /** Given the answer, where it may have sections; it is held back until it is whole then. */
  readonly page: PageFilter | undefined;
}

/** Takes the application's answer in hand, as far as a verdict says. */
export function takeAnswer(request: IncomingMessage, response: ServerResponse, { forced, page }: Taking): void {
  if (forced === undefined && page === undefined) return;
  const repeated = page === undefined ? undefined : askForWhole(request.headers, page);
  const before = (response as TakenResponse)[taken];
  // A guard stands in the chain twice, or judged two addresses.
  if (before !== undefined) before.also(forced, page);
  else (response as TakenResponse)[taken] = new TakenAnswer(request, response, forced, page, repeated);
}

// Called on the response alone.
/* eslint-disable @typescript-eslint/unbound-method */
const {
  writeHead: plainWriteHead,
  write: plainWrite,
  end: plainEnd,
  flushHeaders: plainFlush,
} = ServerResponse.prototype;
/* eslint-enable @typescript-eslint/unbound-method */
const plain: TakenAnswer['own'] = {
  writeHead: plainWriteHead,
  write: plainWrite,
  end: plainEnd,
  flushHeaders: plainFlush,
};

/**
 * A response that can be taken in hand as it is, as to put functions on one of another class, each time, costs
 * more than all that they do.
 *
 * For servers of ours alone, behind whose guard stands code of ours: an application that gives a response
 * another prototype, as Express does, would take this one's functions away, and nothing would be held.
 */
export class GuardedResponse<Request extends IncomingMessage = IncomingMessage> extends ServerResponse<Request> {
  [taken]: TakenAnswer | undefined = undefined;

  override writeHead(...all: unknown[]): this {
    const one = this[taken];
    return (one?.isByClass !== true ? (plainWriteHead as AnyFunction).apply(this, all) : one.writeHead(all)) as this;
  }
  override flushHeaders(): void {
    if (this[taken]?.isHolding() !== true) plainFlush.call(this);
    else flushHeaders.call(this as unknown as TakenResponse);
  }
  override write(chunk: unknown, encoding?: unknown, callback?: unknown): boolean {
    const go = this[taken]?.isHolding() === true ? write : (plainWrite as AnyFunction);
    return go.call(this as unknown as TakenResponse, chunk, encoding, callback) as boolean;
  }
  override end(chunk?: unknown, encoding?: unknown, callback?: unknown): this {
    const go = this[taken]?.isHolding() === true ? end : (plainEnd as AnyFunction);
    return go.call(this as unknown as TakenResponse, chunk, encoding, callback) as this;
  }
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
  one.keepPiece(chunk, encoding);
  const told = typeof encoding === 'function' ? encoding : callback;
  if (typeof told === 'function') process.nextTick(told);
  return true;
}
function end(this: TakenResponse, chunk: unknown, encoding: unknown, callback: unknown): unknown {
  const one = of(this);
  if (one.passes()) return (one.own.end as AnyFunction).call(this, chunk, encoding, callback);
  one.keep(chunk, encoding);
  one.finish([chunk, encoding, callback].find((given) => typeof given === 'function') as (() => void) | undefined);
  return this;
}
function of(response: TakenResponse): TakenAnswer {
  const found = response[taken];
  if (found === undefined) throw new Error('an answer that was not taken was written as if it were');
  return found;
}

/** A reader that takes nothing of a held answer for so long is not waited for. */
const stallSeconds = 30;

/** One answer of the application in hand: what Node lets it do is translated for the guard. */
class TakenAnswer {
  readonly own: Pick<ServerResponse, 'writeHead' | 'write' | 'end' | 'flushHeaders'>;
  /** Whether the response calls this by its class; else its functions were put on it one by one. */
  readonly isByClass: boolean;
  #state: 'unknown' | 'held' | 'passing' = 'unknown';
  #mayHold = false;
  /** Whether the application wrote its answer in pieces. */
  #isInPieces = false;
  #held: HeldAnswer | undefined;
  readonly #head: WrittenHead;
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
    /* eslint-disable @typescript-eslint/unbound-method */
    this.isByClass = isReady(response);
    this.own = this.isByClass
      ? plain
      : {
          writeHead: response.writeHead,
          write: response.write,
          end: response.end,
          flushHeaders: response.flushHeaders,
        };
    /* eslint-enable @typescript-eslint/unbound-method */
    this.#head = new WrittenHead(response);
    this.#isHead = request.method === 'HEAD';
    if (!this.isByClass) response.writeHead = writeHead as ServerResponse['writeHead'];
    if (page === undefined) this.#state = 'passing';
    else this.#hold();
  }

  #hold(): void {
    const { response } = this;
    this.#mayHold = true;
    if (this.isByClass) return;
    response.write = write as ServerResponse['write'];
    response.end = end as ServerResponse['end'];
    response.flushHeaders = flushHeaders;
  }

  /** Whether what is written has to go through here. */
  isHolding(): boolean {
    return this.#mayHold && this.isByClass;
  }

  /** The same for one more verdict. */
  also(forced: VerdictHeaders | undefined, page: PageFilter | undefined): void {
    if (this.response.headersSent) {
      // What this verdict says of it can no longer be done.
      this.response.destroy();
      return;
    }
    if (forced !== undefined) this.forced = this.forced === undefined ? forced : bothForced(this.forced, forced);
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

  writeHead(all: unknown[]): unknown {
    const { response } = this;
    if (this.#state === 'unknown') this.#head.keep(all);
    if (!this.passes()) return response;
    const { forced } = this;
    const given = forced === undefined ? all : forcedHead(response, all, forced);
    return (this.own.writeHead as AnyFunction).apply(response, given);
  }

  /** Whether the answer passes by; found out when its first byte or its headers are written. */
  passes(): boolean {
    if (this.#state === 'unknown' && this.page !== undefined) {
      const { page, repeated, request } = this;
      const found = holdOrPass(page, repeated, request.method, this.#head);
      if (found === 'hold') {
        const held = new HeldAnswer(page, repeated, this.#isHead, bodyTools);
        this.#held = held;
        // What slow readers have not taken yet is in memory as well.
        this.response.once('close', () => {
          held.release();
        });
        this.#state = 'held';
      } else {
        if (found === 'pass-bodiless') this.#head.set(ofBody);
        this.#state = 'passing';
      }
    }
    return this.#state !== 'held';
  }

  keepPiece(chunk: unknown, encoding: unknown): void {
    this.#isInPieces = true;
    this.keep(chunk, encoding);
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
      const { response, request, own } = this;
      const head = this.#head;
      // A page of HTML is held at every address, and so loses its pieces at every one.
      const isInPieces = this.#isInPieces && this.page?.concerns(head.header('content-type')) !== true;
      const framing =
        this.page?.keepsFraming === true ? { isInPieces, wasWritten: head.given !== undefined } : undefined;
      response.setTimeout(stallSeconds * 1000, () => response.destroy());
      if (outcome.kind === 'as-given' && head.given !== undefined) this.writeHead(head.given);
      // What wraps it has had its end already.
      writeOutcome(outcome, { request, response, head, own, framing });
      done?.();
    };
    const outcome = this.#held?.finish(this.#head);
    if (!(outcome instanceof Promise)) carryOut(outcome ?? { kind: 'broken' });
    else outcome.then(carryOut).catch(() => this.response.destroy());
  }
}

/** Whether a response calls what has it in hand by itself, and nobody has put another function in the place of that. */
const isReady = (response: ServerResponse): boolean =>
  response instanceof GuardedResponse &&
  !['writeHead', 'write', 'end', 'flushHeaders'].some((name) => Object.hasOwn(response, name));
