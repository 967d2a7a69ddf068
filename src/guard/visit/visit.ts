/** Request headers by lower-case name, as Node's http gives them. */
export type VisitHeaders = Readonly<Record<string, string | readonly string[] | undefined>>;

/** One request, neutral of framework. Nothing in it is trusted yet. */
export interface Visit {
  readonly method: string;
  /** The request target as it arrived, not decoded, not resolved (RFC 9112 section 3.2). */
  readonly target: string;
  readonly headers: VisitHeaders;
  /**
   * Called where something is decided once the application has answered: from now on `headers` are those that arrived,
   * whatever it changes. Left out where nobody can change them.
   */
  readonly settle?: () => void;
  /** Whether the connection itself is encrypted. */
  readonly encrypted: boolean;
  /** Whether it is asked about beforehand alone, and comes once more if it is refused. */
  readonly isBeforehand?: boolean | undefined;
  /** The request as the framework has it, for `identify`. */
  readonly raw?: unknown;
  /** The address of the connection's other end. */
  readonly address?: string | undefined;
  /**
   * Reads the body as text. Only called for Dorlin's own endpoints.
   * @param limit - most bytes to read; a longer body must reject
   */
  readonly readBody?: (limit: number) => Promise<string>;
}

/** Response headers; a list is sent as one header each. */
export type VerdictHeaders = Readonly<Record<string, string | readonly string[]>>;

/** The application's answer, before it is sent. */
export interface ServedPage {
  readonly status: number;
  /** The header `Content-Type`; empty where there is none. */
  readonly contentType: string;
  /**
   * The whole body, with no content coding (RFC 9110 section 8.4). Undefined where that is not to
   * be had: a part of it, one that is too long, an unknown coding.
   */
  readonly body: Uint8Array | undefined;
  /** Gives the body with one letter for each byte (latin1), where the platform is quick with that. */
  readonly letters?: (() => string) | undefined;
  /** Gives all headers as the application has set them, by name in small letters. */
  readonly headers?: (() => VerdictHeaders) | undefined;
  /** What tells this content from any other of the address (`ETag`, RFC 9110 section 8.8.3). */
  readonly etag?: string | undefined;
  /** Gives other visits a turn, while a long page is read. @default it is read at once */
  readonly pause?: (() => Promise<void>) | undefined;
}

/** What is to be sent in the place of the application's answer. */
export type FilteredPage =
  /** Its body, under these headers, and without those that speak of a stored copy. */
  | { readonly kind: 'as-it-is'; readonly headers: VerdictHeaders }
  /** Another body; headers that speak of the old one must go. */
  | { readonly kind: 'changed'; readonly headers: VerdictHeaders; readonly body: Uint8Array }
  /** Another body in the coding of the old one; only its length and its tag must go. */
  | { readonly kind: 'reworded'; readonly headers?: VerdictHeaders | undefined; readonly body: Uint8Array }
  | Answer;

/**
 * What was sent before, and may be sent again where the application says by `304` that nothing has
 * changed since (RFC 9111 section 4.3.3).
 */
export interface RepeatedPage {
  /** To ask the application by, with `If-None-Match`. */
  readonly etag: string;
  /** The headers that it set then; those that it sets now count more. */
  readonly given: VerdictHeaders;
  readonly filtered: Extract<FilteredPage, { kind: 'changed' }>;
}

/** Cuts the sections out of a page that are not open to the visitor. */
export interface PageFilter {
  /**
   * Whether the policy names sections of this very page. Then every answer but redirections and
   * errors must be given to `filter`, and the application is to be asked for the whole page:
   * without conditions, ranges and content codings. Else only what `concerns` says.
   */
  readonly isCertain: boolean;
  /** Whether something may have to be cut out of it: sections, or what a listing says of locked pages. */
  readonly mayCut: boolean;
  /** Whether the answer may come in a known content coding all the same, so that it can go out in it. */
  readonly mayBeCoded?: boolean | undefined;
  /** Whether an answer without a length goes out without one, as it would have if it had not been held. */
  readonly keepsFraming?: boolean | undefined;
  /** Whether a part of the answer may be asked for: it is hardly a page, by its address. */
  takesParts(): boolean;
  /** Whether the content with this `ETag` and type was read before, and has nothing in it that is locked to anybody. */
  isPlain(etag: string, contentType: string): boolean;
  /** Whether an answer of this type must be given to `filter`, by its header `Content-Type`. */
  concerns(contentType: string): boolean;
  /** What was made of this page before for visitors like this one, if it may be sent again. */
  known(): RepeatedPage | undefined;
  /** Undefined: there is nothing to be cut, now or for anybody. Never rejects. */
  filter(page: ServedPage): FilteredPage | undefined | Promise<FilteredPage | undefined>;
}

/**
 * What is to become of a request. What is let through goes on with `target` in the place of the
 * target that arrived: it is what was judged, in origin-form, and nothing behind the guard may see
 * another.
 */
export type Verdict =
  /** No lock: let it through. */
  | { readonly kind: 'open'; readonly target: string; readonly page?: PageFilter | undefined }
  /** Let it through, and set these headers on the response whatever the application says. */
  | {
      readonly kind: 'let-in';
      readonly target: string;
      readonly headers: VerdictHeaders;
      readonly locks: readonly string[];
      readonly page?: PageFilter | undefined;
    }
  /**
   * Answer as the site does to an address where there is nothing: ask the application for `target`
   * instead, with `GET` for `HEAD`, and give what it answers to `page`.
   */
  | { readonly kind: 'missing'; readonly target: string; readonly page: PageFilter }
  /** Answer this; the application must not see the request. */
  | {
      readonly kind: 'answer';
      readonly status: number;
      readonly headers: VerdictHeaders;
      readonly body: string | Uint8Array;
    };

/** What is answered in the place of the application. */
export type Answer = Extract<Verdict, { kind: 'answer' }>;

/** The whole value of a header that is a list, sent on one line or on several. */
export function listHeaderOf(visit: Visit, name: string): string | undefined {
  const value = visit.headers[name];
  return typeof value === 'object' ? value.join(', ') : value;
}

/** The value of a header that is sent once. */
export function headerOf(visit: Visit, name: string): string | undefined {
  const value = visit.headers[name];
  return typeof value === 'string' ? value : value?.[0];
}
