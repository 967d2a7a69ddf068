/** Request headers by lower-case name, as Node's http gives them. */
export type VisitHeaders = Readonly<Record<string, string | readonly string[] | undefined>>;

/** One request, neutral of framework. Nothing in it is trusted yet. */
export interface Visit {
  readonly method: string;
  /** The request target as it arrived, not decoded, not resolved (RFC 9112 section 3.2). */
  readonly target: string;
  readonly headers: VisitHeaders;
  /** Whether the connection itself is encrypted. */
  readonly encrypted: boolean;
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

/** What is to become of a request. */
export type Verdict =
  /** No lock: let it through untouched. */
  | { readonly kind: 'open' }
  /** Let it through, and set these headers on the response whatever the application says. */
  | { readonly kind: 'let-in'; readonly headers: VerdictHeaders; readonly locks: readonly string[] }
  /**
   * Answer as the site does to an address where there is nothing: ask the application for
   * {@link missingTarget} instead, so that its answer is the same to the byte.
   */
  | { readonly kind: 'missing' }
  /** Answer this; the application must not see the request. */
  | {
      readonly kind: 'answer';
      readonly status: number;
      readonly headers: VerdictHeaders;
      readonly body: string;
    };

/** An address at which no site has anything. */
export const missingTarget = '/_dorlin/missing';

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
