import type { OutgoingHttpHeader, ServerResponse } from 'node:http';
import { withForced } from '../guard/page/forced-headers.js';
import type { AnswerHead } from '../guard/page/held-answer.js';
import type { VerdictHeaders } from '../guard/visit/visit.js';

/**
 * The head of an application's answer: what it set on the response, and what it gave to `writeHead`,
 * whose headers are not set until they must be.
 */
export class WrittenHead implements AnswerHead {
  #given: unknown[] | undefined;

  constructor(readonly response: ServerResponse) {}

  /** What `writeHead` was called with, where it was and that was not set yet. */
  get given(): unknown[] | undefined {
    return this.#given;
  }
  keep(given: unknown[]): void {
    this.#given = given;
    this.response.statusCode = Number(given[0]);
  }

  get status(): number {
    return this.response.statusCode;
  }
  header(name: string): string {
    const lines: (OutgoingHttpHeader | undefined)[] = [];
    const given: unknown = this.#given?.at(-1);
    if (Array.isArray(given)) {
      for (const [other, one] of headersIn(given))
        if (other.toLowerCase() === name) lines.push(one as OutgoingHttpHeader);
    } else if (typeof given === 'object' && given !== null) {
      // Without a list of them all, as this is done at every answer.
      for (const other in given) {
        if (other.length === name.length && other.toLowerCase() === name)
          lines.push((given as Record<string, OutgoingHttpHeader>)[other]);
      }
    }
    if (!lines.some((line) => line !== undefined)) lines.push(this.response.getHeader(name));
    // Lines of one name are one list (RFC 9110 section 5.3). Each counts: what is read by one alone may be sent by another.
    const all = lines.flat().filter((line) => line !== undefined);
    return all.length === 1 ? String(all[0]) : all.join(', ');
  }
  headers(): VerdictHeaders {
    const given: Record<string, unknown> = {};
    for (const [name, value] of headersIn(this.#given?.at(-1))) {
      const key = name.toLowerCase();
      given[key] = key in given ? [given[key], value].flat() : value;
    }
    const all = { ...this.response.getHeaders(), ...(given as NodeJS.Dict<OutgoingHttpHeader>) };
    return Object.fromEntries(
      Object.entries(all).map(([name, value = '']) => [name, Array.isArray(value) ? value.map(String) : String(value)]),
    );
  }

  /** Sets what was given to `writeHead`, so that it can be changed, and takes some of it out. */
  set(without: readonly string[]): void {
    const { response } = this;
    const head = this.#given;
    this.#given = undefined;
    if (typeof head?.[1] === 'string') response.statusMessage = head[1];
    const seen = new Set<string>();
    for (const [name, value] of headersIn(head?.at(-1))) {
      const key = name.toLowerCase();
      const before = seen.has(key) ? response.getHeader(key) : undefined;
      seen.add(key);
      response.setHeader(name, (before === undefined ? value : [before, value].flat()) as string);
    }
    if (head !== undefined) head.length = 1;
    for (const name of without) response.removeHeader(name);
  }
}

/** What to call `writeHead` with, in one list: Node is quicker with that than with headers set one by one. */
export function forcedHead(response: ServerResponse, all: unknown[], forced: VerdictHeaders): unknown[] {
  if (typeof all[1] === 'string') response.statusMessage = all[1];
  const given = all.at(-1);
  const written = Array.isArray(given) ? headersIn(given) : typeof given === 'object' ? (given ?? {}) : {};
  return [all[0], withForced(written as Record<string, unknown>, (name) => response.getHeader(name), forced)];
}

/** The headers given to `writeHead`, in each of the forms that it takes. */
function headersIn(given: unknown): [string, unknown][] {
  if (typeof given !== 'object' || given === null) return [];
  if (!Array.isArray(given)) {
    return Object.entries(given).filter(([, value]) => value !== undefined);
  }
  if (given.every(Array.isArray)) return given as [string, unknown][];
  return given.flatMap((name, at): [string, unknown][] => (at % 2 === 0 ? [[String(name), given[at + 1]]] : []));
}
