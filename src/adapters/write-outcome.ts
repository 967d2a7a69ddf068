import type { IncomingMessage, ServerResponse } from 'node:http';
import type { HeldOutcome } from '../guard/page/held-answer.js';
import { sendAnswer, type AnyFunction } from './send-answer.js';
import type { WrittenHead } from './written-head.js';

/** What an answer is written with: its own end, whatever wraps it. */
export interface Writing {
  readonly request: IncomingMessage;
  readonly response: ServerResponse;
  readonly head: WrittenHead;
  readonly end: AnyFunction;
}

/** Writes what has become of an answer that was held. */
export function writeOutcome(outcome: HeldOutcome, { request, response, head, end }: Writing): void {
  if (outcome.kind === 'broken') response.destroy();
  else if (outcome.kind === 'replaced') {
    for (const name of response.getHeaderNames()) response.removeHeader(name);
    response.statusMessage = '';
    sendAnswer(request, response, outcome.answer, end);
  } else if (outcome.kind === 'as-given') end.call(response, outcome.body);
  else {
    head.set(outcome.without);
    if (outcome.status !== undefined) {
      response.statusCode = outcome.status;
      response.statusMessage = '';
    }
    const { missing = {}, headers, body } = outcome;
    for (const name in missing) if (!response.hasHeader(name)) response.setHeader(name, missing[name] as string);
    for (const name in headers) response.setHeader(name, headers[name] as string | string[]);
    end.call(response, body);
  }
}
