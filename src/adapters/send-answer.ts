import type { IncomingMessage, ServerResponse } from 'node:http';
import type { Answer } from '../guard/visit/visit.js';

/** A method of a response, called on it with whatever was given. */
export type AnyFunction = (...all: unknown[]) => unknown;

/** Answers in the place of the application. */
export function sendAnswer(
  { method }: IncomingMessage,
  response: ServerResponse,
  { status, headers, body }: Answer,
  // Called on the response alone.
  // eslint-disable-next-line @typescript-eslint/unbound-method
  end: AnyFunction = response.end as AnyFunction,
): void {
  response.statusCode = status;
  for (const name in headers) response.setHeader(name, headers[name] as string | string[]);
  // RFC 9110 section 8.6: an answer that has no content has no length of it either.
  if (status !== 204) response.setHeader('content-length', Buffer.byteLength(body));
  end.call(response, method === 'HEAD' ? undefined : body);
}
