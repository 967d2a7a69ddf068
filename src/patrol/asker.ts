import { Agent as PlainAgent, request as plainRequest, type IncomingMessage } from 'node:http';
import { Agent as SecureAgent, request as secureRequest } from 'node:https';
import { setTimeout as wait } from 'node:timers/promises';
import { brotliDecompressSync, gunzipSync, inflateSync } from 'node:zlib';
import { patrolHeader } from '../core/passes/patrol-mark.js';
import type { Jar } from './jar.js';

/** What is asked of the site. */
export interface Ask {
  /** Sent as it is: nothing is folded or encoded on the way. */
  readonly target: string;
  readonly method?: string | undefined;
  /** In small letters, over those that browsers send; an empty one is not sent. */
  readonly headers?: Readonly<Record<string, string>> | undefined;
  /** The fields of a form. */
  readonly form?: Readonly<Record<string, string>> | undefined;
  /** The cookies of the browser that asks, which keeps what the answer sets. */
  readonly jar?: Jar | undefined;
}

export interface Answer {
  /** 0 where there was none. */
  readonly status: number;
  /** By name in small letters; of several, joined by commas. */
  readonly headers: Readonly<Record<string, string>>;
  /** Unpacked. */
  readonly body: Buffer;
  /** Why there was none. */
  readonly problem?: string | undefined;
}

/** Asks a site, politely: so many at once, with pauses where the site wants them. */
export interface Asker {
  readonly origin: string;
  readonly ask: (ask: Ask) => Promise<Answer>;
  /** How many requests were sent, and how many bytes came back. */
  readonly spent: { requests: number; bytes: number; pausedSeconds: number };
  /** Waits at least so long between the starts of two requests, in milliseconds. */
  setPause(milliseconds: number): void;
  close(): void;
}

/** The longest that a site may make this wait, in seconds; more is taken for an answer. */
const longestPause = 120;
/** Most bytes that are read of one answer. */
const mostBytes = 64 * 1024 * 1024;
const timeout = 30_000;
const longestAnswer = 20_000;
/** The same, once a site has given a few of those. */
const longestOfMany = 1_500;

/** What browsers send when somebody follows a link. */
export const browserHeaders: Readonly<Record<string, string>> = {
  accept: 'text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8',
  'accept-language': 'en',
  'sec-fetch-dest': 'document',
  'sec-fetch-mode': 'navigate',
  'sec-fetch-site': 'none',
};

/**
 * Makes what asks a site.
 *
 * @param origin - `https://kestrelmoor.example`
 * @param atOnce - most requests under way at a moment
 * @param mark - what tells the site's own journal that it is a patrol that asks
 * @param longest - how long an answer may go on, in milliseconds: one that never ends is looked into
 * as far as it came
 */
export function makeAsker(origin: string, atOnce: number, longest = longestAnswer, mark?: string): Asker {
  const url = new URL(origin);
  const isSecure = url.protocol === 'https:';
  const options = { keepAlive: true, maxSockets: atOnce };
  const agent = isSecure ? new SecureAgent(options) : new PlainAgent(options);
  const spent = { requests: 0, bytes: 0, pausedSeconds: 0 };
  const endless = { count: 0 };
  let pause = 0;
  let nextStart = 0;

  const send = ({ target, method = 'GET', headers = {}, form, jar }: Ask) =>
    new Promise<Answer>((resolve) => {
      const body = form === undefined ? undefined : new URLSearchParams(form).toString();
      const cookie = jar?.header();
      const sent: Record<string, string> = {
        host: url.host,
        'user-agent': 'dorlin-patrol',
        'accept-encoding': 'gzip, br',
        ...(mark === undefined ? {} : { [patrolHeader]: mark }),
        ...browserHeaders,
        ...headers,
        ...(cookie === undefined ? {} : { cookie: [headers['cookie'], cookie].filter(Boolean).join('; ') }),
      };
      // Said to be empty: not sent at all.
      for (const [name, value] of Object.entries(sent)) if (value === '') Reflect.deleteProperty(sent, name);
      if (body !== undefined) {
        sent['content-type'] = 'application/x-www-form-urlencoded';
        sent['content-length'] = String(Buffer.byteLength(body));
      }
      const none = (error: unknown) => {
        const problem = problemWords(error);
        resolve({ status: 0, headers: {}, body: Buffer.alloc(0), problem });
      };
      spent.requests++;
      try {
        const call = (isSecure ? secureRequest : plainRequest)({
          host: url.hostname.replace(/^\[|\]$/g, ''),
          port: url.port === '' ? undefined : Number(url.port),
          path: target,
          method,
          headers: sent,
          agent,
          timeout,
          ...(isSecure ? { servername: url.hostname } : {}),
        });
        call.on('timeout', () => call.destroy(new Error('no answer in time')));
        call.on('error', none);
        call.on('response', (message) => {
          readAnswer(message, endless, longest).then((answer) => {
            spent.bytes += answer.body.length;
            jar?.keep(message.headers['set-cookie'] ?? []);
            resolve(answer);
          }, none);
        });
        call.end(body);
      } catch (error) {
        // A target that no request line can carry.
        none(error);
      }
    });

  const turn = async () => {
    const now = Date.now();
    const start = Math.max(now, nextStart);
    nextStart = start + pause;
    if (start > now) await wait(start - now);
  };

  const ask = async (what: Ask): Promise<Answer> => {
    const mayRepeat = (what.method ?? 'GET') === 'GET' || what.method === 'HEAD';
    for (let tries = 0; ; tries++) {
      await turn();
      const answer = await send(what);
      const isLast = !mayRepeat || tries >= 3;
      if (answer.status === 0 && !isLast && tries === 0) continue;
      const seconds = pauseWanted(answer);
      if (isLast || seconds === undefined) return answer;
      spent.pausedSeconds += seconds;
      nextStart = Math.max(nextStart, Date.now() + seconds * 1000);
    }
  };

  return {
    origin: url.origin,
    ask,
    spent,
    setPause: (milliseconds) => {
      pause = milliseconds;
    },
    close: () => {
      agent.destroy();
    },
  };
}

/** Why there was no answer: a refusal is one thing, and waiting in vain another. */
function problemWords(error: unknown): string {
  const { code = '', message = '' } = error as {
    readonly code?: string;
    readonly message?: string;
  };
  const known: Readonly<Record<string, string>> = {
    ECONNREFUSED: 'nothing listens there',
    ENOTFOUND: 'there is no such host',
    EAI_AGAIN: 'its name could not be looked up just now',
    ECONNRESET: 'the connection was broken off',
    EPIPE: 'the connection was broken off',
    ETIMEDOUT: 'no answer in time',
    EHOSTUNREACH: 'there is no way to that host',
    ENETUNREACH: 'there is no way to that host',
  };
  return (
    known[code] ??
    (/certificate|self.signed/i.test(message) ? `its certificate is not trusted (${message})` : message || 'no answer')
  );
}

/** How long a site asks to be left alone (RFC 9110 section 10.2.3); a closed notice is none. */
function pauseWanted({ status, headers, body }: Answer): number | undefined {
  if (status !== 429 && status !== 503) return undefined;
  const after = headers['retry-after'];
  if (after === undefined) return undefined;
  const seconds = /^\d+$/.test(after) ? Number(after) : (Date.parse(after) - Date.now()) / 1000;
  if (!(seconds >= 0 && seconds <= longestPause)) return undefined;
  // A page that says when the place opens is there to be read, not to be waited for.
  return headers['content-type']?.startsWith('text/html') === true && body.includes('<h1') ? undefined : seconds;
}

async function readAnswer(message: IncomingMessage, endless: { count: number }, longest: number): Promise<Answer> {
  const chunks: Buffer[] = [];
  let length = 0;
  const state = { isTooLong: false };
  const limit = setTimeout(
    () => {
      state.isTooLong = true;
      endless.count++;
      message.destroy();
    },
    endless.count > 2 ? Math.min(longestOfMany, longest) : longest,
  );
  try {
    for await (const chunk of message as AsyncIterable<Buffer>) {
      chunks.push(chunk);
      length += chunk.length;
      if (length > mostBytes) break;
    }
  } catch (error) {
    if (!state.isTooLong) throw error;
  } finally {
    clearTimeout(limit);
  }
  const headers = Object.fromEntries(
    Object.entries(message.headers).map(([name, value]) => [name, [value ?? ''].flat().join(', ')]),
  );
  return {
    status: message.statusCode ?? 0,
    headers,
    body: unpacked(Buffer.concat(chunks), headers['content-encoding']),
  };
}

function unpacked(body: Buffer, encoding: string | undefined): Buffer {
  const limit = { maxOutputLength: mostBytes };
  try {
    if (encoding === 'gzip' || encoding === 'x-gzip') return gunzipSync(body, limit);
    if (encoding === 'br') return brotliDecompressSync(body, limit);
    if (encoding === 'deflate') return inflateSync(body, limit);
  } catch {
    // Cut off, or not packed at all: it is looked into as it came.
  }
  return body;
}
