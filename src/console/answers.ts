import type { Context } from 'hono';
import * as z from 'zod';
import { DorlinError, type DorlinErrorCode } from '../core/errors.js';
import type { Env } from './arrival.js';
import { Unsendable } from './sent.js';

/** Nothing but our own files, and the frame. */
const securityPolicy = (frameOrigin: string | undefined) =>
  [
    "default-src 'none'",
    "script-src 'self'",
    "style-src 'self'",
    "font-src 'self'",
    "img-src 'self' data: blob:",
    "connect-src 'self'",
    // Each visitor that is played has a host of its own.
    `frame-src ${frameOrigin?.replace('://', '://*.') ?? "'none'"}`,
    "form-action 'self'",
    "base-uri 'none'",
    "frame-ancestors 'none'",
  ].join('; ');

/** The headers of every answer of a console. */
export const answerHeaders = (frameOrigin: string | undefined): Readonly<Record<string, string>> => ({
  'content-security-policy': securityPolicy(frameOrigin),
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'no-referrer',
  'x-robots-tag': 'noindex',
  'cross-origin-opener-policy': 'same-origin',
  'cross-origin-resource-policy': 'same-origin',
});

const statusOf: Partial<Record<DorlinErrorCode, 401 | 403 | 404 | 409 | 413 | 429 | 503>> = {
  'not-signed-in': 401,
  'sign-in-wrong': 403,
  'not-allowed': 403,
  'console-insecure': 403,
  'sign-in-wait': 429,
  'input-too-long': 413,
  'policy-changed': 409,
  'source-changed': 409,
  'store-away': 503,
  'draft-conflict': 409,
};

/** The longest body that is read, in bytes. */
const longestBody = 2_000_000;

/**
 * What a call was sent, checked.
 * @throws DorlinError `input-too-long`, `input-invalid`
 */
export async function inputOf<T>(context: Pick<Context<Env>, 'req'>, schema: z.ZodType<T>): Promise<T> {
  const pieces: Uint8Array[] = [];
  let length = 0;
  let given: unknown;
  try {
    // Piece by piece: what is sent without its length may have no end.
    for await (const piece of (context.req.raw.body ?? []) as AsyncIterable<Uint8Array>) {
      length += piece.length;
      if (length > longestBody) throw new DorlinError('input-too-long', 'What was sent is longer than 2 MB.');
      pieces.push(piece);
    }
    given = JSON.parse(Buffer.concat(pieces).toString('utf8'));
  } catch (cause) {
    if (cause instanceof DorlinError) throw cause;
    // Also one that broke off.
    throw new DorlinError('input-invalid', 'What was sent is no JSON.', { cause });
  }
  return checkedInput(schema, given);
}

/** @throws DorlinError `input-invalid` */
export function checkedInput<T>(schema: z.ZodType<T>, given: unknown): T {
  const checked = schema.safeParse(given);
  if (checked.success) return checked.data;
  throw new DorlinError('input-invalid', z.prettifyError(checked.error));
}

/** An error as it is sent. */
export const errorOf = (code: DorlinErrorCode, message: string) => {
  const [what = '', ...mend] = message.split('\n');
  return { error: { code, message: what, mend: mend.join('\n') } };
};

export function answerError(context: Context<Env>, error: unknown): Response {
  if (error instanceof DorlinError)
    return context.json(errorOf(error.code, error.message), statusOf[error.code] ?? 400);
  process.emitWarning(error instanceof Error ? error : String(error));
  const [message, mend] =
    error instanceof Unsendable
      ? ['What came of it cannot be shown.', 'If it was to change something, that is done: look at it as it is now.']
      : ['Something went wrong here; nothing was changed.', 'Try again.'];
  return context.json({ error: { code: 'failed', message, mend } }, 500);
}
