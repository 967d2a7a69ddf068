import type { IncomingMessage, OutgoingHttpHeader, ServerResponse } from 'node:http';
import { promisify } from 'node:util';
import { brotliCompress, brotliDecompress, deflate, gunzip, gzip, inflate } from 'node:zlib';
import { bothFilters } from '../guard/both-filters.js';
import type {
  Answer,
  FilteredPage,
  PageFilter,
  RepeatedPage,
  VerdictHeaders,
} from '../guard/visit.js';
import { forcing } from './forced-headers.js';
import { mergedVary } from '../guard/vary.js';
import { headersIn } from './written-headers.js';

/** Longest page that is read for sections, in bytes. */
const maxPageBytes = 32 * 1024 * 1024;

const decoders = {
  gzip: promisify(gunzip),
  'x-gzip': promisify(gunzip),
  br: promisify(brotliDecompress),
  deflate: promisify(inflate),
};
const encoders = {
  gzip: promisify(gzip),
  'x-gzip': promisify(gzip),
  br: promisify(brotliCompress),
  deflate: promisify(deflate),
};

/** Conditions and parts: an answer to them would speak of the page with its sections. */
const conditions = [
  'range',
  'if-range',
  'if-match',
  'if-none-match',
  'if-modified-since',
  'if-unmodified-since',
];

/** Headers that speak of a stored copy, and those that speak of the body as it was. */
const ofCopies = ['etag', 'last-modified', 'accept-ranges', 'expires', 'age'];
const ofBody = [
  ...ofCopies,
  'content-length',
  'content-encoding',
  'content-range',
  'content-md5',
  'content-digest',
  'repr-digest',
  'digest',
  'transfer-encoding',
];

/** Headers that speak of the very letters of the body. */
const ofWording = [
  'etag',
  'content-length',
  'content-md5',
  'content-digest',
  'repr-digest',
  'digest',
];

type SendAnswer = (answer: Answer) => void;

/**
 * Holds the application's answer back until it is whole, where it may have sections, and sends what
 * the filter makes of it. Everything else passes by untouched.
 */
export function holdPage(
  request: IncomingMessage,
  response: ServerResponse,
  page: PageFilter,
  sendAnswer: SendAnswer,
): void {
  askForWhole(request, page);
  const held = response as HeldResponse;
  if (held[hold]?.also(page) === true) return;
  const repeated = page.isCertain ? page.known() : undefined;
  if (repeated !== undefined) request.headers['if-none-match'] = repeated.etag;
  // Functions that all responses share, as making them anew for each would cost more than the rest.
  held[hold] = new Hold(request, response, page, repeated, sendAnswer);
  response.writeHead = heldWriteHead as ServerResponse['writeHead'];
  response.write = heldWrite as ServerResponse['write'];
  response.end = heldEnd as ServerResponse['end'];
  response.flushHeaders = heldFlushHeaders;
}

/** Sets headers on an answer that is held; no, if it is not. */
export function forceHeld(response: ServerResponse, forced: VerdictHeaders): boolean {
  return (response as HeldResponse)[hold]?.force(forced) === true;
}

const hold = Symbol('dorlin.hold');
type HeldResponse = ServerResponse & { [hold]?: Hold };
type AnyFunction = (...all: unknown[]) => unknown;

function holdOf(response: HeldResponse): Hold {
  const found = response[hold];
  if (found === undefined) throw new Error('an answer that is not held was written as if it were');
  return found;
}

function heldWriteHead(this: HeldResponse, ...all: unknown[]): unknown {
  return holdOf(this).writeHead(all);
}
function heldFlushHeaders(this: HeldResponse): void {
  if (holdOf(this).passes()) this.flushHeaders();
}
function heldWrite(this: HeldResponse, ...all: unknown[]): unknown {
  if (holdOf(this).passes()) return (this.write as AnyFunction)(...all);
  holdOf(this).keep(all[0], all[1]);
  const callback = all.find((one) => typeof one === 'function');
  if (callback !== undefined) process.nextTick(callback);
  return true;
}
function heldEnd(this: HeldResponse, ...all: unknown[]): unknown {
  if (holdOf(this).passes()) return (this.end as AnyFunction)(...all);
  holdOf(this).keep(all[0], all[1]);
  holdOf(this).finish(all.find((one) => typeof one === 'function') as (() => void) | undefined);
  return this;
}

/** One answer that is held back, or is found to need no holding. */
class Hold {
  readonly #own: Pick<ServerResponse, 'writeHead' | 'write' | 'end' | 'flushHeaders'>;
  #state: 'unknown' | 'held' | 'passing' = 'unknown';
  /** What the application gave to `writeHead`; its headers are not set until that must be. */
  #head: unknown[] | undefined;
  #chunks: Buffer[] = [];
  #length = 0;
  /** Whether the visitor asked for the headers alone; the application may be asked for more. */
  readonly #isHead: boolean;

  constructor(
    readonly request: IncomingMessage,
    readonly response: ServerResponse,
    private page: PageFilter,
    private repeated: RepeatedPage | undefined,
    readonly sendAnswer: SendAnswer,
  ) {
    // Given back as they are, and called on the response alone.
    // eslint-disable-next-line @typescript-eslint/unbound-method
    const { writeHead, write, end, flushHeaders } = response;
    this.#own = { writeHead, write, end, flushHeaders };
    this.#isHead = request.method === 'HEAD';
  }

  /** Gives the answer to one more filter: a guard stands in the chain twice, or judged two addresses. */
  also(page: PageFilter): boolean {
    if (this.#state === 'passing') return false;
    this.page = bothFilters(page, this.page);
    if (this.repeated !== undefined) {
      this.repeated = undefined;
      Reflect.deleteProperty(this.request.headers, 'if-none-match');
    }
    return true;
  }

  /** Sets headers at the last moment, once it is let go. */
  force(forced: VerdictHeaders): boolean {
    if (this.#state === 'passing') return false;
    this.#own.writeHead = forcing(this.response, this.#own.writeHead, forced);
    return true;
  }

  writeHead(all: unknown[]): unknown {
    const { response } = this;
    if (this.#state === 'unknown') {
      this.#head = all;
      response.statusCode = Number(all[0]);
    }
    if (!this.passes()) return response;
    return (this.#own.writeHead as AnyFunction).apply(response, all);
  }

  /** Whether the answer passes by; found out when its first byte or its headers are written. */
  passes(): boolean {
    if (this.#state === 'unknown') {
      const type = this.#header('content-type');
      const mayHold = this.#isUnchanged() || isHeld(this.request, this.response, this.page, type);
      const isPlain = mayHold && this.response.statusCode === 200 && this.#isPlain();
      if (mayHold && !isPlain) this.#state = 'held';
      else {
        const isOfPage = this.page.isCertain || this.page.concerns(type);
        if (this.request.method === 'HEAD' && isOfPage) this.#forgetBody();
        this.#letPass();
      }
    }
    return this.#state === 'passing';
  }

  /** Whether the application says that a page is what it was. */
  #isUnchanged(): boolean {
    return this.repeated !== undefined && this.response.statusCode === 304;
  }

  /** A header as the application has set it, or has given to `writeHead`. */
  #header(name: string): string {
    let value: unknown = this.response.getHeader(name);
    const given = this.#head?.at(-1);
    if (typeof given === 'object' && given !== null) {
      if (Array.isArray(given)) {
        for (const [other, one] of headersIn(given)) if (other.toLowerCase() === name) value = one;
      } else {
        // Without a list of them all, as this is done at every answer.
        for (const other in given) {
          if (other.length === name.length && other.toLowerCase() === name)
            value = (given as Record<string, unknown>)[other];
        }
      }
    }
    return typeof value === 'string' ? value : Array.isArray(value) ? value.join(', ') : '';
  }

  #isPlain(): boolean {
    const etag = this.#header('etag');
    return etag !== '' && this.page.isPlain(etag);
  }

  #letPass(): void {
    this.#state = 'passing';
    Object.assign(this.response, this.#own);
  }

  #forgetBody(): void {
    this.#takeHead();
    removeAll(this.response, ofBody);
  }

  /** Sets what was given to `writeHead`, so that it can be changed. */
  #takeHead(): void {
    const head = this.#head;
    if (head === undefined) return;
    this.#head = undefined;
    if (typeof head[1] === 'string') this.response.statusMessage = head[1];
    const seen = new Set<string>();
    for (const [name, value] of headersIn(head.at(-1))) {
      const key = name.toLowerCase();
      const before = seen.has(key) ? this.response.getHeader(key) : undefined;
      seen.add(key);
      const values = before === undefined ? value : [before, value].flat();
      this.response.setHeader(name, values as OutgoingHttpHeader);
    }
    head.length = 1;
  }

  keep(chunk: unknown, encoding: unknown): void {
    if (chunk === undefined || chunk === null || typeof chunk === 'function') return;
    const bytes =
      typeof chunk === 'string'
        ? Buffer.from(chunk, typeof encoding === 'string' ? (encoding as BufferEncoding) : 'utf8')
        : // A copy: the application may write something else into it.
          Buffer.from(chunk as Uint8Array);
    this.#length += bytes.length;
    if (this.#length <= maxPageBytes) this.#chunks.push(bytes);
    else this.#chunks = [];
  }

  finish(done: (() => void) | undefined): void {
    const { response } = this;
    const fail = () => response.destroy();
    const [first] = this.#chunks;
    const original =
      first !== undefined && this.#chunks.length === 1 ? first : Buffer.concat(this.#chunks);
    if (this.repeated !== undefined && this.#isUnchanged()) {
      this.#sendAgain(this.repeated, done);
      return;
    }
    const send = (body: Buffer | undefined) => {
      const contentType = this.#header('content-type');
      const status = response.statusCode;
      const letters = body === undefined ? undefined : () => body.toString('latin1');
      const etag = this.#header('etag');
      const headers = () => this.#headers();
      const filtered = this.page.filter({ status, contentType, body, letters, headers, etag });
      if (!(filtered instanceof Promise)) this.#send(filtered, original, done);
      else {
        filtered
          .then((found) => {
            this.#send(found, original, done);
          })
          .catch(fail);
      }
    };
    const coding = this.#header('content-encoding');
    if (response.statusCode === 206 || this.#length > maxPageBytes) send(undefined);
    else if (coding === '') send(original);
    else decoded(coding, original).then(send).catch(fail);
  }

  /** All headers as the application has set them, or has given to `writeHead`. */
  #headers(): VerdictHeaders {
    const given = headersIn(this.#head?.at(-1)).map(([name, value]) => [name.toLowerCase(), value]);
    const all = { ...this.response.getHeaders(), ...Object.fromEntries(given) } as object;
    return Object.fromEntries(
      Object.entries(all).map(([name, value]) => [
        name,
        Array.isArray(value) ? value.map(String) : String(value),
      ]),
    );
  }

  /** Sends what was sent before, as the application says that nothing has changed. */
  #sendAgain({ etag, given, filtered }: RepeatedPage, done: (() => void) | undefined): void {
    const said = this.#header('etag');
    if (said !== '' && weak(said) !== weak(etag)) {
      // An answer to another question than was asked.
      this.response.destroy();
      return;
    }
    this.#takeHead();
    this.response.statusCode = 200;
    this.response.statusMessage = '';
    for (const name in given) {
      const value = given[name] as string | string[];
      if (!this.response.hasHeader(name)) this.response.setHeader(name, value);
    }
    this.#send(filtered, emptyBody, done);
  }

  #send(
    filtered: FilteredPage | undefined,
    original: Buffer,
    done: (() => void) | undefined,
  ): void {
    const { response } = this;
    this.#letPass();
    if (filtered?.kind === 'answer') {
      for (const name of response.getHeaderNames()) response.removeHeader(name);
      response.statusMessage = '';
      this.sendAnswer(filtered);
    } else if (this.#isHead && this.page.concerns(this.#header('content-type'))) {
      // As to any other page that might be read: a length would tell what is cut from it.
      this.#forgetBody();
      response.end();
    } else if (this.#length > maxPageBytes) {
      // What was too long was let go of, and is no page that could be sent.
      response.destroy();
    } else if (filtered === undefined) {
      // How long it would be, had it been a part that there is.
      if (response.statusCode === 416) this.#forgetBody();
      if (this.#head !== undefined) (response.writeHead as AnyFunction)(...this.#head);
      response.end(original);
    } else if (filtered.kind === 'reworded') {
      this.#takeHead();
      removeAll(response, ofWording);
      const coding = this.#header('content-encoding');
      encoded(coding, filtered.body)
        .then((body) => {
          response.setHeader('content-length', body.length);
          response.end(body);
        })
        .catch(() => response.destroy());
    } else {
      this.#takeHead();
      removeAll(response, filtered.kind === 'changed' ? ofBody : ofCopies);
      setAll(response, filtered.headers);
      const content = filtered.kind === 'changed' ? filtered.body : original;
      response.setHeader('content-length', content.length);
      response.end(content);
    }
    done?.();
  }
}

const emptyBody = Buffer.alloc(0);

/** An ETag as weak comparison sees it (RFC 9110 section 8.8.3.2). */
const weak = (etag: string) => etag.replace(/^W\//, '');

function askForWhole(request: IncomingMessage, page: PageFilter): void {
  // Of several parts no server says what each of them is.
  const { range } = request.headers;
  if (range !== undefined && (range.includes(',') || !page.takesParts())) {
    for (const name of ['range', 'if-range']) Reflect.deleteProperty(request.headers, name);
  }
  if (page.isCertain) {
    for (const name of conditions) Reflect.deleteProperty(request.headers, name);
    if (page.mayBeCoded !== true) {
      Reflect.deleteProperty(request.headers, 'accept-encoding');
      return;
    }
  }
  const accepted = request.headers['accept-encoding'];
  if (typeof accepted !== 'string') return;
  // Codings that cannot be read here would keep the page from being shown at all.
  const known = accepted
    .split(',')
    .filter((one) => /^\s*(gzip|x-gzip|br|deflate|identity)\s*(;|$)/i.test(one));
  request.headers['accept-encoding'] = known.length > 0 ? known.join(',').trim() : 'identity';
}

function isHeld(
  { method }: IncomingMessage,
  { statusCode }: ServerResponse,
  page: PageFilter,
  type: string,
): boolean {
  const hasNoBody = statusCode < 200 || statusCode === 204 || statusCode === 304;
  if (hasNoBody || method === 'HEAD') return false;
  return page.isCertain || page.concerns(type);
}

const codingsIn = (header: string) =>
  header
    .split(',')
    .map((one) => one.trim().toLowerCase())
    .filter((one) => one !== '' && one !== 'identity');

/** A body in the codings that a header names. */
async function encoded(coding: string, body: Uint8Array): Promise<Uint8Array> {
  let bytes = body;
  for (const one of codingsIn(coding)) bytes = await encoders[one as keyof typeof encoders](bytes);
  return bytes;
}

/** The body without its content codings; undefined where one is not known. */
async function decoded(coding: string, body: Buffer): Promise<Buffer | undefined> {
  let bytes = body;
  for (const one of codingsIn(coding).reverse()) {
    if (!Object.hasOwn(decoders, one)) return undefined;
    try {
      const decode = decoders[one as keyof typeof decoders];
      bytes = await decode(bytes, { maxOutputLength: maxPageBytes });
    } catch {
      return undefined;
    }
  }
  return bytes;
}

function removeAll(response: ServerResponse, names: readonly string[]): void {
  for (const name of names) response.removeHeader(name);
}

function setAll(response: ServerResponse, headers: VerdictHeaders): void {
  for (const name in headers) {
    const value = headers[name] as string | string[];
    const given = name === 'vary' ? response.getHeader('vary') : undefined;
    response.setHeader(
      name,
      given === undefined ? value : mergedVary(String(given), String(value)),
    );
  }
}
