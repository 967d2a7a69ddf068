import type { Pbkdf2Cost } from '../ports.js';

/** PBKDF2 with HMAC-SHA-512 (RFC 8018 section 5.2), by the WebCrypto that every runtime has. */
export async function pbkdf2(password: string, salt: Uint8Array, cost: Pbkdf2Cost): Promise<Uint8Array> {
  const bytes = new TextEncoder().encode(password);
  const key = await crypto.subtle.importKey('raw', bytes, 'PBKDF2', false, ['deriveBits']);
  const how = { name: 'PBKDF2', hash: 'SHA-512', salt: new Uint8Array(salt), iterations: cost.rounds };
  return new Uint8Array(await crypto.subtle.deriveBits(how, key, cost.length * 8));
}
