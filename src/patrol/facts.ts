import { createHash } from 'node:crypto';
import { mayBeXmlListing } from '../core/crawlers/xml-listing.js';
import { decodeHtml } from '../core/sections/charset.js';
import { neededIn } from '../core/check/page-facts.js';
import { archiveText, unpackerOf } from './archive.js';
import { addressesIn, type BodyKind } from './addresses.js';
import type { Answer } from './asker.js';
import { formsIn, type PasswordForm } from './forms.js';
import type { SiteAddresses } from './site-addresses.js';
import { cutWords, saidIn, type Words } from './words.js';

/** What an answer comes to for whoever asked. */
export type Seen =
  /** The page or file itself, as far as its status and its shape tell. */
  | 'let in'
  | 'screen'
  /** A challenge of HTTP Basic. */
  | 'prompt'
  /** Refused or put off, without a way in. */
  | 'closed'
  | 'not found'
  | 'sent away'
  /** Not understood, or not allowed in this way. */
  | 'refused'
  /** No answer, or an error of the server. */
  | 'failed';

/** All that is kept of an answer; its body is not. */
export interface Facts {
  readonly target: string;
  readonly status: number;
  readonly seen: Seen;
  readonly kind: BodyKind | 'picture' | 'file';
  /** Of the body: its length in bytes, and its SHA-256; of a page, what its words come to. */
  readonly bytes: number;
  readonly digest: string;
  /** All words in it, wherever they stand. */
  readonly words: Words;
  /** Targets of the same site that it leads to, shows or names. */
  readonly addresses: readonly string[];
  /** Where it sends whoever asked. */
  readonly location: string | undefined;
  /** Those that say how it may be kept and who may read it. */
  readonly headers: Readonly<Record<string, string>>;
  /** Its forms for a password. */
  readonly forms: readonly PasswordForm[];
  /** What the picture looks like, where that was asked for and it can be told from others. */
  readonly picture?: string | undefined;
  /** The words that a page says and others do not, where that was asked for. */
  readonly telling?: Words | undefined;
  /** Of a page: targets of what it needs to look as it should. */
  readonly needs?: readonly string[] | undefined;
  /** Why there was no answer. */
  readonly problem?: string | undefined;
  /** Whether the page says which part of it is its own, and which is that of all pages. */
  readonly hasMain?: boolean | undefined;
}

const keptHeaders = [
  'cache-control',
  'age',
  'vary',
  'etag',
  'last-modified',
  'expires',
  'x-cache',
  'x-robots-tag',
  'content-type',
  'access-control-allow-origin',
  'access-control-allow-credentials',
  'retry-after',
  'content-length',
];

/** Reads an answer. */
export function factsOf(target: string, answer: Answer, site: SiteAddresses): Facts {
  const { status, headers } = answer;
  const { body, kind } = bodyOf(target, answer);
  const isWorded = kind !== 'picture' && kind !== 'file';
  const text = isWorded ? textOf(body, headers['content-type'] ?? '') : '';
  const isHtml = kind === 'page';
  const words = isWorded ? cutWords(saidIn(text, isHtml || kind === 'listing')) : new Uint32Array();
  const forms = isHtml ? formsIn(text, target, site) : [];
  const location = headers['location'];
  return {
    target,
    status,
    seen: seenOf(status, headers, forms, forms.length === 0 ? 0 : shownWords(text)),
    kind,
    bytes: answer.body.length,
    digest: isHtml ? digestOfWords(words, text.length) : createHash('sha256').update(answer.body).digest('base64url'),
    words,
    addresses: isWorded
      ? addressesIn({ text, kind, target, headers }, site)
      : location === undefined
        ? []
        : [site.targetOf(location, target)].flatMap((one) => one ?? []),
    location: location === undefined ? undefined : site.targetOf(location, target),
    headers: Object.fromEntries(
      keptHeaders.flatMap((name) => (headers[name] === undefined ? [] : [[name, headers[name]]])),
    ),
    forms,
    ...(isHtml && { needs: needsIn(text, target, site) }),
    ...(answer.problem !== undefined && { problem: answer.problem }),
  };
}

/** What a page needs to look as it should, on the same site. */
const needsIn = (text: string, target: string, site: SiteAddresses) =>
  neededIn(text).flatMap((address) => site.targetOf(address, target) ?? []);

/** Tells pages apart by what they say; to hash all their bytes takes as long as to read them. */
function digestOfWords(words: Words, length: number): string {
  let [one, other] = [0x811c9dc5, length];
  for (const word of words) {
    one = Math.imul(one ^ word, 16777619);
    other = Math.imul((other << 5) | (other >>> 27), 0x9e3779b1) ^ word;
  }
  return `words ${(one >>> 0).toString(36)} ${(other >>> 0).toString(36)} ${length}`;
}

/** How many words a page shows, its scripts and styles left out. */
const shownWords = (text: string) =>
  cutWords(saidIn(text.replace(/<(script|style)\b[^]*?<\/\1\s*>/gi, ' '), true)).length;

/** A page of fewer words than this, with a form for a password, is all about that form. */
const screenWords = 250;

function seenOf(
  status: number,
  headers: Readonly<Record<string, string>>,
  forms: readonly PasswordForm[],
  words: number,
): Seen {
  if (status >= 200 && status < 300) {
    // Some sites answer with the screen as if nothing were wrong.
    return forms.some(({ isForSection }) => !isForSection) && words < screenWords ? 'screen' : 'let in';
  }
  if (status === 304) return 'let in';
  if (status >= 300 && status < 400) return 'sent away';
  if (status === 404 || status === 410) return 'not found';
  if (status === 401 && forms.length === 0 && /^basic/i.test(headers['www-authenticate'] ?? '')) return 'prompt';
  if (status === 401 || status === 403 || status === 429 || status === 503) {
    return forms.length > 0 ? 'screen' : 'closed';
  }
  return status === 0 || status >= 500 ? 'failed' : 'refused';
}

/** The body, unpacked where it is a packed file, and what it is. */
export function bodyOf(
  target: string,
  { headers, body }: Answer,
): { readonly body: Buffer; readonly kind: Facts['kind'] } {
  const unpack = unpackerOf(target, body);
  if (unpack !== undefined) {
    try {
      const plain = unpack(body, { maxOutputLength: 2 ** 26 });
      return (
        archived(plain) ?? { body: plain, kind: kindOf(target.replace(/\.(?:gz|br|zst)(?=$|\?)/i, ''), '', plain) }
      );
    } catch {
      return { body, kind: 'file' };
    }
  }
  return archived(body) ?? { body, kind: kindOf(target, headers['content-type'] ?? '', body) };
}

/** An archive as one text of all its files. */
function archived(body: Buffer): { readonly body: Buffer; readonly kind: 'data' } | undefined {
  const text = archiveText(body);
  return text === undefined ? undefined : { body: Buffer.from(`\ufeff${text}`), kind: 'data' };
}

export function textOf(body: Buffer, contentType: string): string {
  if (/charset\s*=\s*"?utf-8/i.test(contentType)) return body.toString('utf8');
  // What no one can decode for certain is read letter by letter: its ASCII words are the same.
  return decodeHtml(body, contentType) ?? body.toString('latin1');
}

function kindOf(target: string, contentType: string, body: Buffer): Facts['kind'] {
  const type = contentType.split(';', 1)[0]?.trim().toLowerCase() ?? '';
  const path = target.split('?', 1)[0] ?? '';
  const ends = (pattern: RegExp) => pattern.test(path);
  if (type === 'text/html' || type === 'application/xhtml+xml') return 'page';
  if (ends(/\/robots\.txt$/i)) return 'robots';
  if (type === 'text/css') return 'style';
  if (/svg/.test(type)) return 'page';
  if (type.startsWith('image/')) return 'picture';
  // Page data of a framework is often sent as `octet-stream`; it is a file only if it is not text.
  const isText = type === 'application/octet-stream' && !body.subarray(0, 4096).includes(0);
  if (
    !isText &&
    /^(?:audio|video|font)\/|pdf|zip|octet-stream|wasm/.test(type) &&
    !ends(/\.(?:txt|md|csv|json|map|xml)$/i)
  )
    return 'file';
  if (/javascript|ecmascript/.test(type)) return 'script';
  const start = body.subarray(0, 4096).toString('latin1');
  if (start.includes('\u0000')) return ends(/\.(?:png|jpe?g|gif|webp|avif)$/i) ? 'picture' : 'file';
  if (mayBeXmlListing(start) || /feed\+json/.test(type)) return 'listing';
  if (/json/.test(type) || ends(/\.(?:json|map|geojson|webmanifest)$/i)) {
    return start.includes('jsonfeed.org/version') ? 'listing' : 'data';
  }
  if (/xml/.test(type)) return 'data';
  if (ends(/\.m?js$/i)) return 'script';
  if (/^\s*<(?:!doctype html|html)/i.test(start)) return 'page';
  return 'text';
}
