import { textAnswer } from '../guard/answers/answers.js';
import { withForced } from '../guard/page/forced-headers.js';
import {
  HeldAnswer,
  holdOrPass,
  maxPageBytes,
  ofBody,
  type AnswerHead,
  type HeldOutcome,
} from '../guard/page/held-answer.js';
import type { Answer, PageFilter, RepeatedPage, VerdictHeaders } from '../guard/visit/visit.js';
import { webBodyTools } from './web-codings.js';

/** An answer of the guard's own. */
export function responseOf({ status, headers, body }: Answer, method: string): Response {
  const bytes = typeof body === 'string' ? new TextEncoder().encode(body) : unshared(body);
  if (status === 204) return new Response(null, { status, headers: headersOf(headers) });
  const sent = headersOf({ ...headers, 'content-length': String(bytes.length) });
  return new Response(method === 'HEAD' ? null : bytes, { status, headers: sent });
}

/** What a verdict has to do with the application's answer. */
export interface Finishing {
  /** Set over whatever the application has set. */
  readonly forced: VerdictHeaders | undefined;
  /** Given the answer, where it may have sections; it is held back until it is whole then. */
  readonly page: PageFilter | undefined;
  readonly repeated: RepeatedPage | undefined;
  /** The method that the visitor sent, and the one that the application was asked with. */
  readonly method: string;
  readonly asked: string;
}

/** What goes out of the application's answer. A stream stays one wherever nothing must be held back. */
export function finished(response: Response, finishing: Finishing): Response | Promise<Response> {
  const { forced, page, repeated, asked } = finishing;
  // A WebSocket has taken the connection over, or there is nothing of an answer.
  if (response.status < 200) return response;
  if (page === undefined) return withForcedHeaders(response, forced);
  const head = new ResponseHead(response);
  const found = holdOrPass(page, repeated, asked, head);
  if (found === 'pass') return withForcedHeaders(response, forced);
  if (found === 'hold') return held(response, head, page, finishing);
  void response.body?.cancel().catch(() => undefined);
  return withForcedHeaders(new Response(null, { ...headOf(response), headers: without(response, ofBody) }), forced);
}

function withForcedHeaders(response: Response, forced: VerdictHeaders | undefined): Response {
  if (forced === undefined) return response;
  const given = [...response.headers].filter(([name]) => name !== 'set-cookie');
  const cookies = response.headers.getSetCookie();
  const earlier = (name: string) => (name === 'set-cookie' && cookies.length > 0 ? cookies : undefined);
  const pairs = withForced(given, earlier, forced);
  const headers = new Headers();
  for (let at = 0; at < pairs.length; at += 2) append(headers, String(pairs[at]), pairs[at + 1] as string | string[]);
  return new Response(response.body, { ...headOf(response), headers });
}

async function held(
  response: Response,
  head: ResponseHead,
  page: PageFilter,
  { forced, repeated, method }: Finishing,
): Promise<Response> {
  const answer = new HeldAnswer(page, repeated, method === 'HEAD', webBodyTools);
  let outcome: HeldOutcome;
  try {
    outcome = (await readInto(answer, response.body)) ? await answer.finish(head) : { kind: 'broken' };
  } finally {
    // From here on it is the runtime's to hold.
    answer.release();
  }
  const made = withForcedHeaders(responseTo(outcome, response, method), forced);
  if (page.keepsFraming !== true || response.headers.has('content-length')) return made;
  // The runtime says how long it is, as it would have for the application; but not of what it does not have.
  const isHead = method === 'HEAD' && !page.concerns(head.header('content-type'));
  const length = 'body' in outcome ? outcome.body?.length : undefined;
  if (isHead && length !== undefined) made.headers.set('content-length', String(length));
  else made.headers.delete('content-length');
  return made;
}

/** What has become of an answer that was held. */
function responseTo(outcome: HeldOutcome, response: Response, method: string): Response {
  if (outcome.kind === 'broken') return responseOf(broken, method);
  if (outcome.kind === 'replaced') return responseOf(outcome.answer, method);
  const { status = response.status, statusText } =
    'status' in outcome && outcome.status !== undefined ? { status: outcome.status, statusText: '' } : response;
  const body = bodyFor(status, method, outcome.body);
  if (outcome.kind === 'as-given') return new Response(body, { status, statusText, headers: response.headers });
  const headers = without(response, outcome.without);
  for (const [name, value] of Object.entries(outcome.missing ?? {})) {
    if (!headers.has(name)) append(headers, name, value);
  }
  for (const [name, value] of Object.entries(outcome.headers)) {
    headers.delete(name);
    append(headers, name, value);
  }
  return new Response(body, { status, statusText, headers });
}

const broken = textAnswer(502, 'The answer of this page broke off, so nothing of it is shown. Please try again.');

/** Reads a body, as far as pages are read. @returns no where it broke off */
async function readInto(answer: HeldAnswer, body: ReadableStream<Uint8Array | string> | null): Promise<boolean> {
  if (body === null) return true;
  const reader = body.getReader();
  const encoder = new TextEncoder();
  let length = 0;
  try {
    for (;;) {
      const { value } = await reader.read();
      if (value === undefined) return true;
      const bytes = typeof value === 'string' ? encoder.encode(value) : value;
      length += bytes.length;
      answer.keep(bytes);
      if (length <= maxPageBytes) continue;
      // What never ends is not waited for.
      void reader.cancel().catch(() => undefined);
      return true;
    }
  } catch {
    return false;
  }
}

/** No body where there can be none (RFC 9110 section 6.4.1). */
const bodyFor = (status: number, method: string, body: Uint8Array | undefined) =>
  method === 'HEAD' || body === undefined || [204, 205, 304].includes(status) ? null : unshared(body);

/** Bytes as an answer takes them; it only reads them. */
const unshared = (bytes: Uint8Array) => (isUnshared(bytes) ? bytes : new Uint8Array(bytes));
const isUnshared = (bytes: Uint8Array): bytes is Uint8Array<ArrayBuffer> => bytes.buffer instanceof ArrayBuffer;

const headOf = ({ status, statusText }: Response) => ({ status, statusText });

function without({ headers }: Response, names: readonly string[]): Headers {
  const kept = new Headers(headers);
  for (const name of names) kept.delete(name);
  return kept;
}

function headersOf(all: VerdictHeaders): Headers {
  const headers = new Headers();
  for (const name in all) append(headers, name, all[name] ?? []);
  return headers;
}

function append(headers: Headers, name: string, value: string | readonly string[]): void {
  for (const one of [value].flat()) headers.append(name, one);
}

/** The head of an application's answer as the guard reads it. */
class ResponseHead implements AnswerHead {
  readonly #known = new Map<string, string>();
  constructor(readonly response: Response) {}

  get status(): number {
    return this.response.status;
  }
  header(name: string): string {
    // The same few are asked for at each step.
    let value = this.#known.get(name);
    if (value === undefined) this.#known.set(name, (value = this.response.headers.get(name) ?? ''));
    return value;
  }
  headers(): VerdictHeaders {
    const { headers } = this.response;
    const all: Record<string, string | string[]> = Object.fromEntries(headers);
    const cookies = headers.getSetCookie();
    if (cookies.length > 0) all['set-cookie'] = cookies;
    return all;
  }
}
