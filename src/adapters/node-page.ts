import type { IncomingMessage, OutgoingHttpHeader, ServerResponse } from 'node:http';
import { promisify } from 'node:util';
import { brotliDecompress, gunzip, inflate } from 'node:zlib';
import type { FilteredPage, PageFilter, VerdictHeaders } from '../guard/visit.js';
import { mergedVary } from './vary.js';

/** Longest page that is read for sections, in bytes. */
const maxPageBytes = 32 * 1024 * 1024;

const decoders = {
  gzip: promisify(gunzip),
  'x-gzip': promisify(gunzip),
  br: promisify(brotliDecompress),
  deflate: promisify(inflate),
};

/** Conditions and parts: an answer to them would speak of the page with its sections. */
const conditions = ['range', 'if-range', 'if-match', 'if-none-match'];
const more = ['if-modified-since', 'if-unmodified-since', 'accept-encoding'];

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

/**
 * Holds the application's answer back until it is whole, where it may have sections, and sends what
 * the filter makes of it. Everything else passes by untouched.
 */
export function holdPage(
  request: IncomingMessage,
  response: ServerResponse,
  page: PageFilter,
  sendAnswer: (answer: Extract<FilteredPage, { kind: 'answer' }>) => void,
): void {
  askForWhole(request, page.isCertain);
  const writeHead = response.writeHead.bind(response);
  const write = response.write.bind(response);
  const end = response.end.bind(response);
  const flushHeaders = response.flushHeaders.bind(response);
  const chunks: Buffer[] = [];
  let length = 0;
  let state: 'unknown' | 'held' | 'passing' = 'unknown';

  const letPass = () => {
    state = 'passing';
    Object.assign(response, { writeHead, write, end, flushHeaders });
  };
  const start = () => {
    if (state !== 'unknown') return;
    if (isHeld(request, response, page)) state = 'held';
    else {
      if (request.method === 'HEAD' && isPage(response)) removeAll(response, ofBody);
      letPass();
    }
  };
  const keep = (chunk: unknown, encoding: unknown) => {
    if (chunk === undefined || chunk === null || typeof chunk === 'function') return;
    const bytes =
      typeof chunk === 'string'
        ? Buffer.from(chunk, typeof encoding === 'string' ? (encoding as BufferEncoding) : 'utf8')
        : Buffer.from(chunk as Uint8Array);
    length += bytes.length;
    if (length <= maxPageBytes) chunks.push(bytes);
    else chunks.length = 0;
  };
  const finish = async (done: unknown) => {
    const original = Buffer.concat(chunks);
    const body = length > maxPageBytes ? undefined : await decoded(response, original);
    const contentType = String(response.getHeader('content-type') ?? '');
    const filtered = await page.filter({ status: response.statusCode, contentType, body });
    letPass();
    if (filtered?.kind === 'answer') {
      for (const name of response.getHeaderNames()) response.removeHeader(name);
      response.statusMessage = '';
      sendAnswer(filtered);
    } else {
      const content = filtered?.kind === 'changed' ? Buffer.from(filtered.body) : original;
      if (filtered !== undefined) {
        removeAll(response, filtered.kind === 'changed' ? ofBody : ofCopies);
        setAll(response, filtered.headers);
      }
      // What was too long was let go of; it is only reached here if it was no page at all.
      if (length > maxPageBytes && filtered?.kind !== 'changed') response.destroy();
      else {
        response.removeHeader('transfer-encoding');
        response.setHeader('content-length', content.length);
        response.end(content);
      }
    }
    if (typeof done === 'function') (done as () => void)();
  };

  Object.assign(response, {
    writeHead(status: number, ...rest: unknown[]) {
      response.statusCode = status;
      if (typeof rest[0] === 'string') response.statusMessage = rest[0];
      takeHeaders(response, rest.at(-1));
      start();
      if (state === 'passing') writeHead(status);
      return response;
    },
    flushHeaders() {
      start();
      if (state === 'passing') flushHeaders();
    },
    write(chunk: unknown, encoding?: unknown, done?: unknown) {
      start();
      if (state === 'passing') return write(chunk, encoding as never, done as never);
      keep(chunk, encoding);
      const callback = typeof encoding === 'function' ? encoding : done;
      if (typeof callback === 'function') process.nextTick(callback);
      return true;
    },
    end(chunk?: unknown, encoding?: unknown, done?: unknown) {
      start();
      if (state === 'passing') return end(chunk as string, encoding as never, done as never);
      keep(chunk, encoding);
      const callback = [chunk, encoding, done].find((one) => typeof one === 'function');
      finish(callback).catch(() => response.destroy());
      return response;
    },
  });
}

function askForWhole(request: IncomingMessage, isCertain: boolean): void {
  if (isCertain) {
    for (const name of [...conditions, ...more]) Reflect.deleteProperty(request.headers, name);
    return;
  }
  const accepted = request.headers['accept-encoding'];
  if (typeof accepted !== 'string') return;
  // Codings that cannot be read here would keep the page from being shown at all.
  const known = accepted
    .split(',')
    .filter((one) => /^\s*(gzip|x-gzip|br|deflate|identity)\s*(;|$)/i.test(one));
  request.headers['accept-encoding'] = known.length > 0 ? known.join(',').trim() : 'identity';
}

function isHeld(request: IncomingMessage, response: ServerResponse, page: PageFilter): boolean {
  const { statusCode } = response;
  const hasNoBody = statusCode < 200 || statusCode === 204 || statusCode === 304;
  if (hasNoBody || request.method === 'HEAD') return false;
  if (statusCode >= 300 && statusCode < 400) return false;
  return page.isCertain || isPage(response);
}

/** HTML or XML, or what a browser may take for it. */
function isPage(response: ServerResponse): boolean {
  const type = String(response.getHeader('content-type') ?? '');
  return type.trim() === '' || /html|xml/i.test(type);
}

/** The body without its content codings; undefined where it is a part, or in an unknown one. */
async function decoded(response: ServerResponse, body: Buffer): Promise<Buffer | undefined> {
  if (response.statusCode === 206) return undefined;
  const codings = String(response.getHeader('content-encoding') ?? '')
    .split(',')
    .map((coding) => coding.trim().toLowerCase())
    .filter((coding) => coding !== '' && coding !== 'identity');
  let bytes = body;
  for (const coding of codings.reverse()) {
    if (!(coding in decoders)) return undefined;
    try {
      const decode = decoders[coding as keyof typeof decoders];
      bytes = await decode(bytes, { maxOutputLength: maxPageBytes });
    } catch {
      return undefined;
    }
  }
  return bytes;
}

/** Sets what was given to `writeHead`, in each of the forms that it takes. */
function takeHeaders(response: ServerResponse, given: unknown): void {
  if (typeof given !== 'object' || given === null) return;
  const pairs: [string, unknown][] = Array.isArray(given)
    ? given.every(Array.isArray)
      ? (given as [string, unknown][])
      : given.flatMap((name, at): [string, unknown][] =>
          at % 2 === 0 ? [[String(name), given[at + 1]]] : [],
        )
    : Object.entries(given);
  const seen = new Set<string>();
  for (const [name, value] of pairs) {
    if (value === undefined) continue;
    const key = name.toLowerCase();
    const before = seen.has(key) ? response.getHeader(key) : undefined;
    seen.add(key);
    const values = before === undefined ? value : [before, value].flat();
    response.setHeader(name, values as OutgoingHttpHeader);
  }
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
