import { base64url, CompactSign, compactVerify, errors } from 'jose';
import type * as z from 'zod';
import type { KeyChain } from './keys.js';

const algorithm = 'HS256';

/** A kind of signed text: its type, which keeps kinds apart, and the shape of what it says. */
export interface SignedKind<T> {
  readonly type: string;
  readonly schema: z.ZodType<T>;
}

/** Packs a value into a compact JWS (RFC 7515), HS256, signed with the first secret. */
export async function sign<T>(value: T, kind: SignedKind<T>, keys: KeyChain): Promise<string> {
  return new CompactSign(new TextEncoder().encode(JSON.stringify(value)))
    .setProtectedHeader({ alg: algorithm, typ: kind.type })
    .sign(keys[0].pass);
}

/**
 * What a signed text says, or undefined if any doubt remains about it: a wrong signature, another
 * algorithm, kind or shape.
 */
export async function readSigned<T>(text: string, kind: SignedKind<T>, keys: KeyChain): Promise<T | undefined> {
  if (!isPlain(text)) return undefined;
  for (const { pass } of keys) {
    try {
      const { payload, protectedHeader } = await compactVerify(text, pass, {
        algorithms: [algorithm],
      });
      if (protectedHeader.typ !== kind.type) return undefined;
      return kind.schema.parse(JSON.parse(new TextDecoder().decode(payload)));
    } catch (error) {
      if (error instanceof errors.JWSSignatureVerificationFailed) continue;
      return undefined;
    }
  }
  return undefined;
}

/**
 * Whether a text is spelled the one way in which it is made. Decoders of base64 pass over spaces and over
 * the last bits of a signature; any number of spellings of one pass would be as many for what remembers
 * them (RFC 4648 section 12).
 */
function isPlain(text: string): boolean {
  const signature = /^[\w-]+\.[\w-]+\.([\w-]{43})$/.exec(text)?.[1];
  if (signature === undefined) return false;
  return base64url.encode(base64url.decode(signature)) === signature;
}
