import { DorlinError } from '../../core/errors.js';
import type { Answer, VerdictHeaders } from '../visit/visit.js';

/** On every answer of Dorlin's own: not to be stored, indexed, sniffed or framed by others. */
const guarded = {
  'cache-control': 'no-store',
  'x-robots-tag': 'noindex',
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'same-origin',
  vary: 'Cookie',
} as const;

export function htmlAnswer(status: number, body: string, more: VerdictHeaders): Answer {
  const headers = { ...guarded, 'content-type': 'text/html; charset=utf-8', ...more };
  return { kind: 'answer', status, headers, body };
}

export function textAnswer(status: number, text: string, more: VerdictHeaders = {}): Answer {
  const headers = { ...guarded, 'content-type': 'text/plain; charset=utf-8', ...more };
  return { kind: 'answer', status, headers, body: `${text}\n` };
}

/** Whether what is shared by many machines cannot be asked, or does not say what it should. */
export const isAway = (error: unknown): error is DorlinError =>
  error instanceof DorlinError && (error.code === 'store-away' || error.code === 'store-unfit');

/** To whom nothing can be said, as what is shared by many machines cannot be asked. RFC 9110 section 15.6.4. */
export const awayAnswer: Answer = textAnswer(
  503,
  'What this needs cannot be reached at the moment, so nobody is let in. Please try again soon.',
  { 'retry-after': '5' },
);

export function jsonAnswer(status: number, value: unknown, more: VerdictHeaders = {}): Answer {
  const headers = { ...guarded, 'content-type': 'application/json', ...more };
  return { kind: 'answer', status, headers, body: `${JSON.stringify(value)}\n` };
}

/** `303 See Other` (RFC 9110 section 15.4.4): the browser follows with GET. */
export function seeOther(location: string, cookies: readonly string[]): Answer {
  const headers = {
    ...guarded,
    location,
    ...(cookies.length > 0 ? { 'set-cookie': cookies } : {}),
  };
  return { kind: 'answer', status: 303, headers, body: '' };
}

/** `308 Permanent Redirect` to the normal form of an address of this site. */
export function movedTo(target: string): Answer {
  // Of two slashes, what follows is a host to browsers; a dot before them goes away (RFC 3986 sections 4.2 and 5.2.4).
  const location = target.startsWith('//') ? `/.${target}` : target;
  return textAnswer(308, 'This address is written in another way.', { location });
}

/** `302 Found`, for outsiders who are sent elsewhere. */
export function redirectAnswer(location: string): Answer {
  return { kind: 'answer', status: 302, headers: { ...guarded, location }, body: '' };
}

/** What is set on a locked page that is shown to somebody let in. */
export const letInHeaders = {
  'cache-control': 'private, no-store',
  'x-robots-tag': 'noindex',
  vary: 'Cookie',
} as const;

/** A page differs from visitor to visitor; search engines may have what strangers get. */
export const privately = { 'cache-control': 'private, no-store', vary: 'Cookie' } as const;
