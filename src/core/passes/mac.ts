import { base64url } from 'jose';

/** HMAC-SHA-256 (RFC 2104) of a text, in base64url. */
export async function macOf(text: string, key: Uint8Array<ArrayBuffer>): Promise<string> {
  const algorithm = { name: 'HMAC', hash: 'SHA-256' };
  const imported = await crypto.subtle.importKey('raw', key, algorithm, false, ['sign']);
  const mac = await crypto.subtle.sign('HMAC', imported, new TextEncoder().encode(text));
  return base64url.encode(new Uint8Array(mac));
}
