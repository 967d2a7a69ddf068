import { FormTooLong } from '../guard/visit/form.js';
import { readHost } from '../guard/visit/host.js';
import type { Visit, VisitHeaders } from '../guard/visit/visit.js';

/** A request of the fetch standard as the guard reads it. What costs anything is looked up when it is asked for. */
export class FetchVisit implements Visit {
  #headers: VisitHeaders | undefined;
  readonly target: string;

  constructor(
    readonly raw: Request,
    readonly address: string | undefined,
  ) {
    this.target = targetOf(raw);
  }
  get method(): string {
    return this.raw.method;
  }
  get headers(): VisitHeaders {
    return (this.#headers ??= headersOf(this.raw));
  }
  settle(): void {
    const all: Record<string, string> = Object.fromEntries(this.raw.headers);
    this.#headers = { ...all, host: all['host'] ?? hostIn(this.raw) };
  }
  get encrypted(): boolean {
    return this.raw.url.startsWith('https:');
  }
  readBody(limit: number): Promise<string> {
    return readText(this.raw.body, limit);
  }
}

/**
 * The one form of URL that is read (RFC 9110 section 4.2): whoever reads it again, a router or the URL parser of
 * the runtime, finds the same host and the same path in it. Some runtimes put the header `Host` in front of the
 * target as it arrived, so a URL can be anything: `http://host\members\x?/`.
 */
const plainUrl = /^https?:\/\/([^/?#\\@\s]+)(\/[^#\\\s]*)$/i;

/** The host that the URL of a request names; empty if it cannot be read for certain. */
const hostIn = ({ url }: Request) => plainUrl.exec(url)?.[1] ?? '';

/** No path: the guard refuses it. */
const unreadable = '';

/**
 * What was asked for, out of the characters of the URL themselves, which routers read too. If the URL names
 * another host than the header does, all of it: then it is for the guard to say.
 */
function targetOf(request: Request): string {
  const { url } = request;
  const [, host = '', path = unreadable] = plainUrl.exec(url) ?? [];
  if (readHost(host) === undefined) return unreadable;
  const header = request.headers.get('host');
  if (header === null || header === host) return path;
  return readHost(header) === undefined ? unreadable : url;
}

/**
 * A request's headers, each looked up when it is asked for: to read all of them costs more than the guard needs
 * of an open page. Runtimes that keep the header `Host` to themselves have read the address by it.
 */
function headersOf(request: Request): VisitHeaders {
  const known = new Map<string, string | undefined>();
  const valueOf = (name: string) => {
    if (known.has(name)) return known.get(name);
    const value = isToken.test(name) ? (request.headers.get(name) ?? undefined) : undefined;
    const found = name === 'host' ? (value ?? hostIn(request)) : value;
    known.set(name, found);
    return found;
  };
  return new Proxy<Record<string, string>>(Object.create(null) as Record<string, string>, {
    get: (_, name) => (typeof name === 'string' ? valueOf(name) : undefined),
    has: (_, name) => typeof name === 'string' && valueOf(name) !== undefined,
    ownKeys: () => [...new Set([...request.headers.keys(), 'host'])],
    getOwnPropertyDescriptor: (_, name) => {
      const value = typeof name === 'string' ? valueOf(name) : undefined;
      return value === undefined ? undefined : { value, enumerable: true, configurable: true, writable: false };
    },
    set: () => false,
    deleteProperty: () => false,
    defineProperty: () => false,
  });
}

/** Of anything else, headers would throw (RFC 9110 section 5.6.2). Names here are in small letters. */
const isToken = /^[a-z0-9!#$%&'*+.^_`|~-]+$/;

async function readText(body: ReadableStream<Uint8Array> | null, limit: number): Promise<string> {
  if (body === null) return '';
  const reader = body.getReader();
  const decoder = new TextDecoder();
  let text = '';
  let length = 0;
  for (;;) {
    const { value } = await reader.read();
    if (value === undefined) return text + decoder.decode();
    length += value.length;
    if (length > limit) {
      // Its sender is to be told so, whether the rest arrives or not.
      void reader.cancel().catch(() => undefined);
      throw new FormTooLong();
    }
    text += decoder.decode(value, { stream: true });
  }
}
