import { base64url } from 'jose';
import type { HashCost } from '../ports.js';

/** An argon2id hash with what is needed to compute it again. */
export interface PasswordHash {
  readonly salt: Uint8Array;
  readonly cost: HashCost;
  readonly hash: Uint8Array;
}

/** The cost of new hashes: 19 MiB and two passes, about 20 ms of one core. RFC 9106 names the terms. */
export const defaultCost: HashCost = { memoryKib: 19_456, passes: 2, lanes: 1, length: 32 };

// Upper bounds, so that a policy cannot make one guess take minutes or gigabytes.
const most = { memoryKib: 1_048_576, passes: 16, lanes: 16 };

const shape = /^\$argon2id\$v=19\$m=(\d{1,7}),t=(\d{1,2}),p=(\d{1,2})\$([A-Za-z0-9+/]{11,86})\$([A-Za-z0-9+/]{22,86})$/;

/**
 * Reads a PHC string (`$argon2id$v=19$m=…,t=…,p=…$salt$hash`, base64 without padding).
 * Answers undefined for anything else.
 */
export function parsePhc(text: string): PasswordHash | undefined {
  const found = shape.exec(text);
  if (found === null) return undefined;
  const [, memory, passes, lanes, salt, hash] = found;
  if (salt === undefined || hash === undefined) return undefined;
  const cost = { memoryKib: Number(memory), passes: Number(passes), lanes: Number(lanes) };
  const isSane =
    cost.lanes >= 1 &&
    cost.passes >= 1 &&
    cost.memoryKib >= 8 * cost.lanes &&
    cost.memoryKib <= most.memoryKib &&
    cost.passes <= most.passes &&
    cost.lanes <= most.lanes;
  if (!isSane) return undefined;
  const bytes = fromBase64(hash);
  return { salt: fromBase64(salt), cost: { ...cost, length: bytes.length }, hash: bytes };
}

/** Writes a PHC string; the inverse of {@link parsePhc}. */
export function formatPhc({ salt, cost, hash }: PasswordHash): string {
  const { memoryKib, passes, lanes } = cost;
  return `$argon2id$v=19$m=${memoryKib},t=${passes},p=${lanes}$${toBase64(salt)}$${toBase64(hash)}`;
}

// jose speaks base64url; PHC strings are plain base64 without padding.
const fromBase64 = (text: string) => base64url.decode(text.replaceAll('+', '-').replaceAll('/', '_'));
const toBase64 = (bytes: Uint8Array) => base64url.encode(bytes).replaceAll('-', '+').replaceAll('_', '/');
