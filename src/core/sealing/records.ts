import { joined, utf8, type Bytes } from './bytes.js';

/** Bytes of an encrypted record, but for the last, which may be shorter. */
export const usualRecordSize = 65_536;

/** Of each record: the tag of AES-GCM, and the byte that tells content from padding (RFC 8188 section 2). */
const overhead = 17;
const headerLength = 21;

/** How what is sealed lies in its records: content fills them from the first on, what pads it follows. */
export interface Layout {
  readonly recordSize: number;
  readonly length: number;
  readonly padding: number;
  readonly records: number;
}

/** How much content a record holds. */
export const roomIn = (recordSize: number): number => recordSize - overhead;

export function layoutOf(length: number, padding = 0, recordSize = usualRecordSize): Layout {
  return { recordSize, length, padding, records: Math.max(1, Math.ceil((length + padding) / roomIn(recordSize))) };
}

/** The length of what is sealed in so many bytes, its header included. */
export const sealedLength = ({ length, padding, records }: Layout): number =>
  headerLength + length + padding + records * overhead;

/** Which content a record holds, and how many bytes of padding. */
export function recordAt({ recordSize, length, padding, records }: Layout, index: number) {
  const room = roomIn(recordSize);
  const start = Math.min(length, index * room);
  const end = Math.min(length, (index + 1) * room);
  const whole = index < records - 1 ? room : length + padding - (records - 1) * room;
  return { start, end, padding: whole - (end - start), isLast: index === records - 1 };
}

/**
 * So many bytes that the length tells little: all but the highest few bits of it are rounded up
 * (Padmé: Nikitin and others, "Reducing Metadata Leakage from Encrypted Files", section 4).
 */
export function paddingFor(length: number): number {
  if (length < 2) return 0;
  const exponent = Math.floor(Math.log2(length));
  const lastBits = exponent - (Math.floor(Math.log2(exponent)) + 1);
  const step = 2 ** Math.max(0, lastBits);
  return Math.ceil(length / step) * step - length;
}

/** The header: salt, record size, and no key id (RFC 8188 section 2.1). */
export function headerOf(salt: Uint8Array, recordSize: number): Bytes {
  const header = new Uint8Array(headerLength);
  header.set(salt);
  new DataView(header.buffer).setUint32(16, recordSize);
  return header;
}

/** Undefined where it is none, or one of a size that nobody should believe. */
export function readHeader(
  bytes: Uint8Array,
): { readonly salt: Bytes; readonly recordSize: number; readonly length: number } | undefined {
  if (bytes.length < headerLength) return undefined;
  const view = new DataView(bytes.buffer, bytes.byteOffset);
  const recordSize = view.getUint32(16);
  const length = headerLength + (bytes[20] ?? 0);
  if (recordSize <= overhead || recordSize > 2 ** 24 || bytes.length < length) return undefined;
  return { salt: new Uint8Array(bytes.slice(0, 16)), recordSize, length };
}

const keyInfo = utf8('Content-Encoding: aes128gcm\0');
const nonceInfo = utf8('Content-Encoding: nonce\0');

/** What a key is derived by, as HKDF takes it (RFC 8188 sections 2.2 and 2.3). */
export const contentKeyOf = (salt: Bytes) => ({ name: 'HKDF', hash: 'SHA-256', salt, info: keyInfo }) as const;
export const nonceOf = (salt: Bytes) => ({ name: 'HKDF', hash: 'SHA-256', salt, info: nonceInfo }) as const;

/** The nonce of a record: the last six bytes are mixed with its number. */
export function recordNonce(nonce: Uint8Array, index: number): Bytes {
  const own = new Uint8Array(nonce);
  const view = new DataView(own.buffer);
  view.setUint32(8, (view.getUint32(8) ^ (index >>> 0)) >>> 0);
  view.setUint16(6, view.getUint16(6) ^ Math.floor(index / 2 ** 32));
  return own;
}

/** A record before it is encrypted. */
export const framed = (content: Uint8Array, padding: number, isLast: boolean): Bytes =>
  joined(content, Uint8Array.of(isLast ? 2 : 1), new Uint8Array(padding));

/** The content of a decrypted record; undefined where it is not what should stand there. */
export function unframed(record: Uint8Array, isLast: boolean): Uint8Array | undefined {
  let end = record.length - 1;
  while (end >= 0 && record[end] === 0) end--;
  return end >= 0 && record[end] === (isLast ? 2 : 1) ? record.subarray(0, end) : undefined;
}
