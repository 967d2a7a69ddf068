import { textAnswer } from '../answers/answers.js';
import { bothFilters } from './both-filters.js';
import { mergedVary } from './forced-headers.js';
import type { Answer, FilteredPage, PageFilter, RepeatedPage, VerdictHeaders } from '../visit/visit.js';

/** Longest page that is read for sections, in bytes. */
export const maxPageBytes = 32 * 1024 * 1024;

/** Request headers that may be taken out and changed, by name in small letters. */
export type AskedHeaders = Record<string, string | string[] | undefined>;

/** The head of an application's answer, however it gave it. */
export interface AnswerHead {
  readonly status: number;
  /** The value of a header by its name in small letters, several joined by commas; empty where there is none. */
  header(name: string): string;
  /** All of them, by name in small letters. */
  headers(): VerdictHeaders;
}

/** What a platform does with bodies. */
export interface BodyTools {
  /** Takes one content coding off (RFC 9110 section 8.4.1); undefined for one that it does not know. */
  readonly decode: (coding: string, body: Uint8Array, most: number) => Promise<Uint8Array> | undefined;
  readonly encode: (coding: string, body: Uint8Array) => Promise<Uint8Array> | undefined;
  readonly joined: (pieces: readonly Uint8Array[]) => Uint8Array;
  /** One letter for each byte. */
  readonly letters: (body: Uint8Array) => string;
  /** Gives other visits a turn. */
  readonly pause: () => Promise<void>;
}

/** Conditions and parts: an answer to them would speak of the page with its sections. */
const conditions = ['range', 'if-range', 'if-match', 'if-none-match', 'if-modified-since', 'if-unmodified-since'];

/** Headers of requests that say which part of an answer is wanted, on what condition, and in which coding. */
export const ofWholeness: readonly string[] = [...conditions, 'accept-encoding'];

/** Headers that speak of a stored copy, and those that speak of the body as it was. */
const ofCopies = ['etag', 'last-modified', 'accept-ranges', 'expires', 'age'];
export const ofBody: readonly string[] = [
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
const ofWording = ['etag', 'content-length', 'content-md5', 'content-digest', 'repr-digest', 'digest'];

/**
 * Changes the headers of a request so that its answer can be read: it is asked for whole, and in
 * codings that can be taken off.
 *
 * @param codings - which can be; each with its weight
 * @returns what was sent before, where the application is asked whether that is still so
 */
export function askForWhole(
  asked: AskedHeaders,
  page: PageFilter,
  codings: RegExp = usualCodings,
): RepeatedPage | undefined {
  // Of several parts no server says what each of them is.
  const { range } = asked;
  if (range !== undefined && (String(range).includes(',') || !page.takesParts())) {
    for (const name of ['range', 'if-range']) Reflect.deleteProperty(asked, name);
  }
  if (page.isCertain) for (const name of conditions) Reflect.deleteProperty(asked, name);
  if (page.isCertain && page.mayBeCoded !== true) Reflect.deleteProperty(asked, 'accept-encoding');
  else {
    const accepted = asked['accept-encoding'];
    if (typeof accepted === 'string') asked['accept-encoding'] = knownCodings(accepted, codings);
  }
  const repeated = page.isCertain ? page.known() : undefined;
  if (repeated !== undefined) asked['if-none-match'] = repeated.etag;
  return repeated;
}

const usualCodings = /^\s*(?:gzip|x-gzip|br|deflate|identity)\s*(?:;|$)/i;

/** Browsers write the same few; to take one apart costs as much as the rest. By which can be read. */
const knownLists = new Map<RegExp, Map<string, string>>();

/** Codings that cannot be read here would keep the page from being shown at all. */
function knownCodings(accepted: string, codings: RegExp): string {
  let lists = knownLists.get(codings);
  if (lists === undefined) knownLists.set(codings, (lists = new Map<string, string>()));
  let list = lists.get(accepted);
  if (list === undefined) {
    const known = accepted.split(',').filter((one) => codings.test(one));
    list = known.length > 0 ? known.join(',').trim() : 'identity';
    if (lists.size < 100 && accepted.length < 100) lists.set(accepted, list);
  }
  return list;
}

/** Whether an answer is held back until it is whole, or passes by, its body not spoken of or as it is. */
export function holdOrPass(
  page: PageFilter,
  repeated: RepeatedPage | undefined,
  method: string | undefined,
  head: AnswerHead,
): 'hold' | 'pass' | 'pass-bodiless' {
  const { status } = head;
  if (repeated !== undefined && status === 304) return 'hold';
  const isOfPage = page.isCertain || page.concerns(head.header('content-type'));
  if (!isOfPage) return 'pass';
  // Its length would tell what is cut from it.
  if (method === 'HEAD') return 'pass-bodiless';
  if (status < 200 || status === 204 || status === 304) return 'pass';
  const etag = status === 200 ? head.header('etag') : '';
  return etag !== '' && page.isPlain(etag, head.header('content-type')) ? 'pass' : 'hold';
}

/** What becomes of an answer that was held. */
export type HeldOutcome =
  /** It goes out as the application gave it. */
  | { readonly kind: 'as-given'; readonly body: Uint8Array }
  /** Nothing of it goes out. */
  | { readonly kind: 'replaced'; readonly answer: Answer }
  /** It goes out with another head, and another body if there is one. */
  | {
      readonly kind: 'changed';
      /** Whether nothing is other than the application gave it but some words. */
      readonly isReworded?: true | undefined;
      /** @default that of the application */
      readonly status?: number | undefined;
      readonly without: readonly string[];
      /** Set where the application has not set them. */
      readonly missing?: VerdictHeaders | undefined;
      readonly headers: VerdictHeaders;
      readonly body: Uint8Array | undefined;
    }
  /** Nothing that is right can be sent any more: the connection ends. */
  | { readonly kind: 'broken' };

/** Bytes of answers that are held or that slow readers still have to take, of all connections together. */
export class HeldBytes {
  #held = 0;
  /** @param most - bytes at most */
  constructor(readonly most: number) {}

  /** @returns no if there is no room for them */
  take(count: number): boolean {
    if (this.#held + count > this.most) return false;
    this.#held += count;
    return true;
  }
  free(count: number): void {
    this.#held -= count;
  }
  get held(): number {
    return this.#held;
  }
}

const allHeld = new HeldBytes(256 * 1024 * 1024);

/** To whoever comes when too much is held: one page cannot fill the memory by being asked for often. */
const tooMuchHeld = textAnswer(503, 'Too many large pages are being sent at the moment. Please try again soon.', {
  'retry-after': '5',
});

/** The body of one answer that is held back, and what is made of it. */
export class HeldAnswer {
  #taken = 0;
  #isRefused = false;
  #pieces: Uint8Array[] = [];
  #length = 0;
  #page: PageFilter;
  #repeated: RepeatedPage | undefined;
  readonly #isHead: boolean;
  readonly #tools: BodyTools;

  /** @param isHead - whether the visitor asked for the head alone; the application may be asked for more */
  constructor(
    page: PageFilter,
    repeated: RepeatedPage | undefined,
    isHead: boolean,
    tools: BodyTools,
    private readonly bytes = allHeld,
  ) {
    this.#page = page;
    this.#repeated = repeated;
    this.#isHead = isHead;
    this.#tools = tools;
  }

  /** Gives the answer to one more filter, of a guard that stands farther in. */
  also(page: PageFilter): void {
    this.#page = bothFilters(page, this.#page);
    this.#repeated = undefined;
  }

  /** @param bytes - not written to by anybody else any more */
  keep(bytes: Uint8Array): void {
    this.#length += bytes.length;
    if (this.#isRefused) return;
    if (this.#length <= maxPageBytes && this.bytes.take(bytes.length)) {
      this.#taken += bytes.length;
      this.#pieces.push(bytes);
      return;
    }
    this.#isRefused = this.#length <= maxPageBytes;
    this.#pieces = [];
    this.release();
  }

  /** To be called once the answer has been sent, or will not be. */
  release(): void {
    this.bytes.free(this.#taken);
    this.#taken = 0;
  }

  /** What goes out, now that the answer is whole. At once where nothing has to be waited for. */
  finish(head: AnswerHead): HeldOutcome | Promise<HeldOutcome> {
    const repeated = this.#repeated;
    if (this.#isRefused) return { kind: 'replaced', answer: tooMuchHeld };
    if (repeated !== undefined && head.status === 304) return sentAgain(repeated, head);
    const original = this.#tools.joined(this.#pieces);
    const filter = (body: Uint8Array | undefined) => {
      const filtered = this.#page.filter({
        status: head.status,
        contentType: head.header('content-type'),
        body,
        letters: body === undefined ? undefined : () => this.#tools.letters(body),
        headers: () => head.headers(),
        etag: head.header('etag'),
        pause: this.#tools.pause,
      });
      return filtered instanceof Promise
        ? filtered.then((found) => this.#outcome(head, found, original))
        : this.#outcome(head, filtered, original);
    };
    const coding = head.header('content-encoding');
    if (head.status === 206 || this.#length > maxPageBytes) return filter(undefined);
    return coding === '' ? filter(original) : decoded(coding, original, this.#tools).then(filter);
  }

  #outcome(
    head: AnswerHead,
    filtered: FilteredPage | undefined,
    original: Uint8Array,
  ): HeldOutcome | Promise<HeldOutcome> {
    if (filtered?.kind === 'answer') return { kind: 'replaced', answer: filtered };
    if (this.#isHead && this.#page.concerns(head.header('content-type'))) {
      return filtered?.kind === 'reworded' ? { ...bodiless, headers: filtered.headers ?? {} } : bodiless;
    }
    // What was too long was let go of, and is no page that could be sent.
    if (this.#length > maxPageBytes) return { kind: 'broken' };
    if (filtered === undefined) {
      // How long it would be, had it been a part that there is.
      return head.status === 416 ? { ...bodiless, body: original } : { kind: 'as-given', body: original };
    }
    if (filtered.kind === 'reworded') {
      return encoded(head.header('content-encoding'), filtered.body, this.#tools).then((body) => ({
        kind: 'changed',
        isReworded: true,
        without: ofWording,
        headers: { ...filtered.headers, 'content-length': String(body.length) },
        body,
      }));
    }
    return changed(head, filtered, original);
  }
}

const bodiless = { kind: 'changed', without: ofBody, headers: {}, body: undefined } as const;

function changed(
  head: AnswerHead,
  filtered: Extract<FilteredPage, { kind: 'as-it-is' | 'changed' }>,
  original: Uint8Array,
): Extract<HeldOutcome, { kind: 'changed' }> {
  const body = filtered.kind === 'changed' ? filtered.body : original;
  const vary = mergedVary(head.header('vary'), String(filtered.headers['vary'] ?? ''));
  const headers = {
    ...filtered.headers,
    ...(vary === '' ? {} : { vary }),
    'content-length': String(body.length),
  };
  return { kind: 'changed', without: filtered.kind === 'changed' ? ofBody : ofCopies, headers, body };
}

/** What was sent before, as the application says that nothing has changed. */
function sentAgain({ etag, given, filtered }: RepeatedPage, head: AnswerHead): HeldOutcome {
  const said = head.header('etag');
  // An answer to another question than was asked.
  if (said !== '' && weak(said) !== weak(etag)) return { kind: 'broken' };
  return { ...changed(head, filtered, filtered.body), status: 200, missing: given };
}

/** An ETag as weak comparison sees it (RFC 9110 section 8.8.3.2). */
const weak = (etag: string) => etag.replace(/^W\//, '');

const codingsIn = (header: string) =>
  header
    .split(',')
    .map((one) => one.trim().toLowerCase())
    .filter((one) => one !== '' && one !== 'identity');

/** The body without the codings that a header names; undefined where one is not known or does not fit. */
async function decoded(header: string, body: Uint8Array, { decode }: BodyTools): Promise<Uint8Array | undefined> {
  let bytes = body;
  for (const coding of codingsIn(header).reverse()) {
    try {
      const found = await decode(coding, bytes, maxPageBytes);
      if (found === undefined) return undefined;
      bytes = found;
    } catch {
      return undefined;
    }
  }
  return bytes;
}

/** A body in the codings that a header names, which were taken off it before. */
async function encoded(header: string, body: Uint8Array, { encode }: BodyTools): Promise<Uint8Array> {
  let bytes = body;
  for (const coding of codingsIn(header)) bytes = (await encode(coding, bytes)) ?? bytes;
  return bytes;
}
