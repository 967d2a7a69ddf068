import { fileKey, openBytes, openRecord, type FileKey } from '../../core/sealing/sealed-bytes.js';
import { readHeader, roomIn } from '../../core/sealing/records.js';
import { toBase64Url } from '../../core/sealing/bytes.js';
import type { AreaIndex, SealedEntry } from '../../core/sealing/site.js';

/** What was fetched is not what was sealed. */
export class Damaged extends Error {}

/** Headers of the host that say what a page may do; an answer made here would lose them. */
const keptHeaders = [
  'content-security-policy',
  'content-security-policy-report-only',
  'x-content-type-options',
  'document-policy',
  'origin-agent-cluster',
  'reporting-endpoints',
  'referrer-policy',
  'permissions-policy',
  'x-frame-options',
  'cross-origin-opener-policy',
  'cross-origin-embedder-policy',
  'cross-origin-resource-policy',
  'strict-transport-security',
];

/** What loads other things, or runs: for that, a host may send headers by address. */
const judgedByAddress = new Set(['document', 'iframe', 'frame', 'worker', 'sharedworker', 'script']);

/**
 * The host's headers for an address: those that it sends there, with the password screen, before those of the sealed
 * file, for which a host may have other rules.
 */
async function hostHeaders(request: Request, sealed: Promise<Response>): Promise<Headers> {
  const own = judgedByAddress.has(request.destination) ? fetch(request.url, { method: 'HEAD' }) : undefined;
  const [first, second] = await Promise.all([own?.catch(() => undefined), sealed]);
  const headers = new Headers();
  for (const name of keptHeaders) {
    const value = first?.headers.get(name) ?? second.headers.get(name);
    if (value !== null) headers.set(name, value);
  }
  return headers;
}

function headersFor(host: Headers, { type }: SealedEntry, url: URL): Headers {
  const made = new Headers(host);
  made.set('content-type', type);
  made.set('cache-control', 'private, no-store');
  made.set('x-robots-tag', 'noindex');
  const name = url.searchParams.get('dorlin-download');
  if (name !== null) {
    const file = name === '' ? (url.pathname.split('/').at(-1) ?? '') : encodeURIComponent(name);
    made.set('content-disposition', `attachment; filename*=UTF-8''${file}`);
  }
  return made;
}

/** Takes bytes from a stream in the lengths that are asked for. */
function readerOf(stream: ReadableStream<Uint8Array<ArrayBuffer>>) {
  const reader = stream.getReader();
  let held = new Uint8Array();
  return {
    /** So many bytes, or what is left. */
    async take(length: number): Promise<Uint8Array<ArrayBuffer>> {
      const parts = [held];
      let have = held.length;
      while (have < length) {
        const { done, value } = await reader.read();
        if (done) break;
        parts.push(value);
        have += value.length;
      }
      const all = new Uint8Array(have);
      let at = 0;
      for (const part of parts) {
        all.set(part, at);
        at += part.length;
      }
      held = all.slice(length);
      return all.slice(0, length);
    },
    /** Leaves out so many bytes, without holding them. */
    async skip(length: number): Promise<void> {
      let left = length;
      for (let done = false; left > held.length && !done;) {
        left -= held.length;
        const next = await reader.read();
        done = next.done;
        held = next.value ?? new Uint8Array();
      }
      held = held.slice(left);
    },
    isOver: async () => {
      if (held.length > 0) return false;
      const { done, value } = await reader.read();
      if (!done) held = value;
      return done;
    },
    cancel: () => reader.cancel(),
  };
}

/** Opens the records of a file as they come: from one of them on, to one of them. */
async function openedStream(
  reader: ReturnType<typeof readerOf>,
  key: FileKey,
  recordSize: number,
  first = 0,
  last = Infinity,
): Promise<ReadableStream<Uint8Array<ArrayBuffer>>> {
  let index = first;
  let isOver = false;
  const next = async (): Promise<Uint8Array<ArrayBuffer>> => {
    const record = await reader.take(recordSize);
    isOver = record.length < recordSize || (await reader.isOver());
    const content = await openRecord(key, record, index, isOver);
    if (content === undefined) throw new Damaged();
    // What comes behind it is of no use.
    if (index++ === last && !isOver) {
      isOver = true;
      await reader.cancel().catch(() => undefined);
    }
    return content as Uint8Array<ArrayBuffer>;
  };
  // Before anything is answered: what is damaged from its beginning gets a page that says so.
  const start = await next();
  let waiting: Uint8Array<ArrayBuffer> | undefined = start;
  return new ReadableStream<Uint8Array<ArrayBuffer>>({
    async pull(controller) {
      // Records of padding alone have nothing to give.
      while (waiting === undefined || (waiting.length === 0 && !isOver)) {
        if (isOver) break;
        waiting = await next();
      }
      if (waiting !== undefined && waiting.length > 0) controller.enqueue(waiting);
      waiting = undefined;
      if (isOver) controller.close();
    },
    cancel: () => reader.cancel(),
  });
}

const headerLength = 21;

/** Whether it is the file that the index means: its salt is of its path and its content. */
const isOf = ({ salt, length }: { readonly salt: Uint8Array; readonly length: number }, entry: SealedEntry) =>
  length === headerLength && toBase64Url(salt) === entry.salt;

/** Answers with a sealed file; with a part of it, where that is asked for and it is not packed. */
export async function servedEntry(
  address: string,
  entry: SealedEntry,
  area: CryptoKey,
  request: Request,
): Promise<Response> {
  const range =
    entry.packed === undefined && request.method === 'GET'
      ? rangeOf(request.headers.get('range'), entry.size)
      : undefined;
  if (range === 'unmet')
    return new Response('', { status: 416, headers: { 'content-range': `bytes */${entry.size}` } });
  if (range !== undefined) return servedRange(address, entry, area, request, range);
  const sealed = fetch(address);
  const host = await hostHeaders(request, sealed);
  const answer = await sealed;
  if (answer.status === 404 || answer.body === null) return answer;
  if (!answer.ok) throw new Damaged();
  const headers = headersFor(host, entry, new URL(request.url));
  headers.set('content-length', String(entry.size));
  if (entry.packed === undefined) headers.set('accept-ranges', 'bytes');
  if (request.method === 'HEAD') return new Response(null, { headers });
  const reader = readerOf(answer.body);
  const header = readHeader(await reader.take(headerLength));
  if (header === undefined || !isOf(header, entry)) throw new Damaged();
  const key = await fileKey(area, header.salt);
  const opened = await openedStream(reader, key, header.recordSize);
  const body = entry.packed === undefined ? opened : opened.pipeThrough(new DecompressionStream('gzip'));
  return new Response(body, { headers });
}

/** One range of bytes (RFC 9110 section 14.1.2); undefined where none is meant, or several are. */
function rangeOf(text: string | null, size: number): { start: number; end: number } | 'unmet' | undefined {
  const [, from = '', to = ''] = /^bytes=(\d*)-(\d*)$/.exec(text ?? '') ?? [];
  if (from === '' && to === '') return undefined;
  const start = from === '' ? Math.max(0, size - Number(to)) : Number(from);
  const end = from === '' || to === '' ? size : Math.min(size, Number(to) + 1);
  return start >= end || start >= size ? 'unmet' : { start, end };
}

async function servedRange(
  address: string,
  entry: SealedEntry,
  area: CryptoKey,
  request: Request,
  { start, end }: { readonly start: number; readonly end: number },
): Promise<Response> {
  const begun = await fetch(address, { headers: { range: `bytes=0-${headerLength - 1}` } });
  if (begun.status === 404) return begun;
  // Some hosts send the whole file, whatever was asked for.
  const top = begun.body === null ? undefined : readerOf(begun.body);
  const header = readHeader((await top?.take(headerLength)) ?? new Uint8Array());
  await top?.cancel().catch(() => undefined);
  if (header === undefined || !isOf(header, entry)) throw new Damaged();
  const { recordSize, salt } = header;
  const key = await fileKey(area, salt);
  const room = roomIn(recordSize);
  const first = Math.floor(start / room);
  const last = Math.floor((end - 1) / room);
  const from = headerLength + first * recordSize;
  const answer = await fetch(address, {
    // One byte more, which tells whether the last of them is the last of the file.
    headers: { range: `bytes=${from}-${headerLength + (last + 1) * recordSize}` },
  });
  if (answer.status === 404 || answer.body === null) return answer;
  const reader = readerOf(answer.body);
  if (answer.status !== 206) await reader.skip(from);
  const opened = await openedStream(reader, key, recordSize, first, last);
  const headers = headersFor(await hostHeaders(request, Promise.resolve(answer)), entry, new URL(request.url));
  headers.set('content-range', `bytes ${start}-${end - 1}/${entry.size}`);
  headers.set('content-length', String(end - start));
  headers.set('accept-ranges', 'bytes');
  const body = opened.pipeThrough(cutting(start - first * room, end - start));
  return new Response(body, { status: 206, headers });
}

/** Of what goes through, so many bytes behind the first few. */
function cutting(skip: number, length: number): TransformStream<Uint8Array<ArrayBuffer>, Uint8Array<ArrayBuffer>> {
  let [toSkip, left] = [skip, length];
  return new TransformStream({
    transform(content, controller) {
      const part = content.slice(toSkip, toSkip + left);
      toSkip = Math.max(0, toSkip - content.length);
      left -= part.length;
      if (part.length > 0) controller.enqueue(part);
    },
  });
}

/** Unpacks what was packed before it was sealed. */
const unpacked = async (bytes: Uint8Array<ArrayBuffer>): Promise<Uint8Array<ArrayBuffer>> =>
  new Uint8Array(
    await new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream('gzip'))).arrayBuffer(),
  );

/** Answers with a public page, with what is open of its sealed parts in the place of their forms. */
export async function servedParts(
  request: Request,
  open: readonly { readonly key: CryptoKey; readonly of: AreaIndex['parts'][string] }[],
  addressOf: (blob: string) => string,
): Promise<Response> {
  const answer = await fetch(request);
  const isPage = answer.ok && answer.headers.get('content-type')?.startsWith('text/html') === true;
  if (!isPage || request.method === 'HEAD') return answer;
  const bytes = new Uint8Array(await answer.arrayBuffer());
  const digest = toBase64Url(new Uint8Array(await crypto.subtle.digest('SHA-256', bytes)));
  const pieces: { start: number; end: number; content: Uint8Array<ArrayBuffer> }[] = [];
  for (const { key, of } of open) {
    // Another deploy of it than the index is of: as strangers have it.
    if (of.digest !== digest) continue;
    for (const { start, end, entry } of of.parts) {
      const blob = await fetch(addressOf(entry.blob));
      const bytesOf = new Uint8Array(await blob.arrayBuffer());
      const header = readHeader(bytesOf);
      const isMeant = blob.ok && header !== undefined && isOf(header, entry);
      const sealed = isMeant ? await openBytes(bytesOf, key) : undefined;
      if (sealed === undefined) throw new Damaged();
      pieces.push({ start, end, content: entry.packed === undefined ? sealed : await unpacked(sealed) });
    }
  }
  const parts: BlobPart[] = [];
  let at = 0;
  for (const { start, end, content } of pieces.sort((one, other) => one.start - other.start)) {
    parts.push(bytes.slice(at, start), content);
    at = end;
  }
  const headers = new Headers(answer.headers);
  for (const name of ['content-length', 'content-encoding', 'etag', 'last-modified']) headers.delete(name);
  headers.set('cache-control', 'private, no-store');
  return new Response(new Blob([...parts, bytes.slice(at)]), { status: answer.status, headers });
}
