import { joined, type Bytes, type SealingKey } from './bytes.js';
import {
  contentKeyOf,
  framed,
  headerOf,
  layoutOf,
  nonceOf,
  paddingFor,
  readHeader,
  recordAt,
  recordNonce,
  unframed,
  usualRecordSize,
} from './records.js';

/** What opens one sealed file. */
export interface FileKey {
  readonly key: SealingKey;
  readonly nonce: Uint8Array;
}

/** The key of a file, of the key of its area. @param area - for HKDF */
export async function fileKey(area: SealingKey, salt: Bytes): Promise<FileKey> {
  const [key, nonce] = await Promise.all([
    crypto.subtle.deriveKey(contentKeyOf(salt), area, { name: 'AES-GCM', length: 128 }, false, ['encrypt', 'decrypt']),
    crypto.subtle.deriveBits(nonceOf(salt), area, 96),
  ]);
  return { key, nonce: new Uint8Array(nonce) };
}

/**
 * Seals bytes as a file (RFC 8188, aes128gcm), padded so that its length tells little.
 *
 * @param salt - 16 bytes that no other content has had under this key
 */
export async function sealBytes(
  content: Uint8Array,
  area: SealingKey,
  salt: Bytes,
  { recordSize = usualRecordSize, padding = paddingFor(content.length) } = {},
): Promise<Bytes> {
  const { key, nonce } = await fileKey(area, salt);
  const layout = layoutOf(content.length, padding, recordSize);
  const parts: Uint8Array[] = [headerOf(salt, recordSize)];
  for (let index = 0; index < layout.records; index++) {
    const { start, end, padding: own, isLast } = recordAt(layout, index);
    const record = framed(content.subarray(start, end), own, isLast);
    const iv = recordNonce(nonce, index);
    parts.push(new Uint8Array(await crypto.subtle.encrypt({ name: 'AES-GCM', iv }, key, record)));
  }
  return joined(...parts);
}

/** Opens one record. @returns undefined where it was not sealed so */
export async function openRecord(
  { key, nonce }: FileKey,
  record: Bytes,
  index: number,
  isLast: boolean,
): Promise<Uint8Array | undefined> {
  try {
    const iv = recordNonce(nonce, index);
    return unframed(new Uint8Array(await crypto.subtle.decrypt({ name: 'AES-GCM', iv }, key, record)), isLast);
  } catch {
    return undefined;
  }
}

/** Opens a sealed file. @returns undefined where any byte of it is another, or is missing */
export async function openBytes(sealed: Uint8Array, area: SealingKey): Promise<Bytes | undefined> {
  const header = readHeader(sealed);
  if (header === undefined) return undefined;
  const { recordSize, length, salt } = header;
  const key = await fileKey(area, salt);
  const parts: Uint8Array[] = [];
  for (let at = length, index = 0; at === length || at < sealed.length; at += recordSize, index++) {
    const isLast = at + recordSize >= sealed.length;
    const content = await openRecord(key, new Uint8Array(sealed.slice(at, at + recordSize)), index, isLast);
    if (content === undefined) return undefined;
    parts.push(content);
  }
  return joined(...parts);
}
