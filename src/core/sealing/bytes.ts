const encoder = new TextEncoder();

/** Bytes as WebCrypto takes them. */
export type Bytes = Uint8Array<ArrayBuffer>;

export const utf8 = (text: string): Bytes => encoder.encode(text);

export function joined(...parts: readonly Uint8Array[]): Bytes {
  const whole = new Uint8Array(parts.reduce((length, part) => length + part.length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}

/** As letters of the URL-safe alphabet, without padding (RFC 4648 section 5). */
export function toBase64Url(bytes: Uint8Array): string {
  let letters = '';
  for (const byte of bytes) letters += String.fromCharCode(byte);
  return btoa(letters).replaceAll('+', '-').replaceAll('/', '_').replaceAll('=', '');
}

/** @throws where it is not of that alphabet */
export function fromBase64Url(text: string): Bytes {
  const letters = atob(text.replaceAll('-', '+').replaceAll('_', '/'));
  return Uint8Array.from(letters, (letter) => letter.charCodeAt(0));
}

/** A key of WebCrypto, as every platform has it. */
export type SealingKey = Awaited<ReturnType<typeof crypto.subtle.importKey>>;
