import type { IncomingMessage, ServerResponse } from 'node:http';
import type { HeldOutcome } from '../guard/page/held-answer.js';
import { sendAnswer, type AnyFunction } from './send-answer.js';
import type { WrittenHead } from './written-head.js';

/** What an answer is written with: its own functions, whatever wraps them. */
export interface Writing {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  readonly head: WrittenHead;
  readonly own: Pick<ServerResponse, 'writeHead' | 'write' | 'end'>;
  /**
   * How the application framed its answer, if it is to go out just so: in one piece or several, with a head that it
   * wrote itself or left to Node, which then adds a length. Undefined: with a length.
   */
  readonly framing: { readonly isInPieces: boolean; readonly wasWritten: boolean } | undefined;
}

/** Writes what has become of an answer that was held. */
export function writeOutcome(outcome: HeldOutcome, { request, response, head, own, framing: given }: Writing): void {
  // What something was cut from has a length at every address.
  const isOwn = outcome.kind === 'as-given' || (outcome.kind === 'changed' && outcome.isReworded === true);
  const framing = isOwn ? given : undefined;
  const [write, end] = [own.write, own.end] as unknown as [AnyFunction, AnyFunction];
  const finish = (body: Uint8Array | undefined) => {
    if (framing?.isInPieces !== true || body === undefined || body.length === 0) end.call(response, body);
    else {
      write.call(response, body);
      end.call(response);
    }
  };
  if (outcome.kind === 'broken') response.destroy();
  else if (outcome.kind === 'replaced') {
    for (const name of response.getHeaderNames()) response.removeHeader(name);
    response.statusMessage = '';
    sendAnswer(request, response, outcome.answer, end);
  } else if (outcome.kind === 'as-given') finish(outcome.body);
  else {
    head.set([]);
    const raw = (response as unknown as { getRawHeaderNames(): string[] }).getRawHeaderNames();
    const lengthName = raw.find((name) => name.toLowerCase() === 'content-length');
    for (const name of outcome.without) {
      // Without it, Node would not send in chunks either.
      if (framing === undefined || name !== 'transfer-encoding') response.removeHeader(name);
    }
    if (outcome.status !== undefined) {
      response.statusCode = outcome.status;
      response.statusMessage = '';
    }
    const { missing = {}, headers, body } = outcome;
    for (const name in missing) if (!response.hasHeader(name)) response.setHeader(name, missing[name] as string);
    for (const name in headers) {
      const isLength = name === 'content-length' && framing !== undefined;
      if (isLength && lengthName === undefined) continue;
      response.setHeader(isLength ? (lengthName ?? name) : name, headers[name] as string | string[]);
    }
    // Then Node knows of no length either.
    if (framing?.wasWritten === true) response.writeHead(response.statusCode);
    finish(body);
  }
}
