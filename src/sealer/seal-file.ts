import { createHmac } from 'node:crypto';
import { renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import { toBase64Url, type Bytes } from '../core/sealing/bytes.js';
import type { NamingKeys } from '../core/sealing/areas.js';
import { headerOf, layoutOf, paddingFor, usualRecordSize } from '../core/sealing/records.js';
import { encryptInto, fileChanged, type Encrypting } from './large-file.js';
import type { Threads } from './threads.js';

const packedBytes = promisify(gzip);

/** The key of an area as the sealer holds it. */
export interface AreaKeys {
  readonly key: Bytes;
  readonly naming: NamingKeys;
}

/** What is to be sealed: bytes at hand, or a file that may be larger than memory. */
export type Content = { readonly bytes: Uint8Array } | { readonly file: string; readonly size: number };

/** What is sealed: where it is to lie, and what is written there. */
export interface Sealed {
  /** The same for the same content at the same path: what has not changed need not be written. */
  readonly blob: string;
  readonly salt: Bytes;
  /** Bytes of the content as it lies in the records. */
  readonly length: number;
  readonly content: Content;
  /** Of a file: how it was before it was read. */
  readonly state: string;
}

/** Packs what packs well. */
export const packed = (bytes: Uint8Array): Promise<Uint8Array> => packedBytes(bytes, { level: 6 });

/** Bytes of a large file that one thread digests. */
const digested = 16 * 1024 * 1024;
/** Records of a large file that one thread encrypts: enough that beginning and ending do not tell. */
const together = 1024;

/**
 * The salt of a content, and the name of its file. Of what is really encrypted, so that no salt, and by it
 * no nonce, ever serves for two contents: a keyed digest of a small one, and of the keyed fingerprints of the parts of a large one.
 */
export async function named(path: string, content: Content, area: AreaKeys, threads: Threads): Promise<Sealed> {
  const hash = createHmac('sha256', area.naming.salt);
  const state = stateOf(content);
  const length = 'bytes' in content ? content.bytes.length : content.size;
  if ('bytes' in content) hash.update(`${path}\0${usualRecordSize}\0`).update(content.bytes);
  else {
    // No path begins so, nor so.
    const key = createHmac('sha256', area.naming.salt).update('parts of a large file').digest().subarray(0, 16);
    hash.update(`large\0${path}\0${usualRecordSize}\0${length}\0`);
    const parts = Array.from({ length: Math.ceil(length / digested) }, (_, at) =>
      threads.run({
        kind: 'digest',
        file: content.file,
        start: at * digested,
        end: Math.min(length, (at + 1) * digested),
        key,
      }),
    );
    for (const part of await Promise.all(parts)) hash.update(part);
  }
  const salt = new Uint8Array(hash.digest().subarray(0, 16));
  const name = createHmac('sha256', area.naming.name).update(salt).digest().subarray(0, 16);
  return { blob: `s${toBase64Url(new Uint8Array(name))}`, salt, length, content, state };
}

/** What tells a file as it is from what it may become meanwhile. */
export function fileState(file: string): string {
  const { size, mtimeNs, ctimeNs, ino } = statSync(file, { bigint: true });
  return [size, mtimeNs, ctimeNs, ino].join(' ');
}

const stateOf = (content: Content): string => ('bytes' in content ? '' : fileState(content.file));

/**
 * Key and nonce of a file (RFC 8188 section 2.1) by HKDF (RFC 5869), of which one block is enough. By Node's own HMAC:
 * its HKDF takes several times as long, and there are two a file.
 */
function encrypting({ salt, length }: Sealed, area: AreaKeys): Encrypting {
  const key = createHmac('sha256', salt).update(area.key).digest();
  const expand = (info: string) => createHmac('sha256', key).update(`${info}\0\u0001`).digest();
  return {
    layout: layoutOf(length, paddingFor(length)),
    cek: expand('Content-Encoding: aes128gcm').subarray(0, 16),
    nonce: expand('Content-Encoding: nonce').subarray(0, 12),
  };
}

/** Where a file lies until it is whole. */
const partOf = (file: string) => `${file}.${process.pid}.part`;

/**
 * Writes a sealed file whole: under another name first. A small one at once, which is quicker than to wait for
 * each step of it.
 *
 * @param file - in a folder that is there
 * @throws DorlinError `site-changing`
 */
export async function writeSealed(file: string, sealed: Sealed, area: AreaKeys, threads: Threads): Promise<void> {
  const { content } = sealed;
  if ('file' in content) {
    await writeLarge(file, sealed, content, area, threads);
    return;
  }
  const how = encrypting(sealed, area);
  const pieces: Uint8Array[] = [headerOf(sealed.salt, how.layout.recordSize)];
  encryptInto(pieces, how, content.bytes, 0, how.layout.records);
  writeWhole(file, Buffer.concat(pieces), partOf(file));
}

/** Writes a file under another name first, so that it is there whole or not at all. */
export function writeWhole(file: string, bytes: Uint8Array, temporary = partOf(file)): void {
  try {
    writeFileSync(temporary, bytes);
    renameSync(temporary, file);
  } catch (error) {
    rmSync(temporary, { force: true });
    throw error;
  }
}

/** Its records are encrypted by several threads at once, each to where they belong. */
async function writeLarge(
  file: string,
  sealed: Sealed,
  content: Extract<Content, { readonly file: string }>,
  area: AreaKeys,
  threads: Threads,
): Promise<void> {
  const how = encrypting(sealed, area);
  const header = headerOf(sealed.salt, how.layout.recordSize);
  const temporary = partOf(file);
  try {
    writeFileSync(temporary, header);
    const { records } = how.layout;
    const parts = Array.from({ length: Math.ceil(records / together) }, (_, at) =>
      threads.run({
        kind: 'encrypt',
        file: content.file,
        how,
        first: at * together,
        last: Math.min(records, (at + 1) * together),
        to: temporary,
        headerLength: header.length,
      }),
    );
    // All of them, so that none goes on writing to what is removed.
    const [failed] = (await Promise.allSettled(parts)).filter((part) => part.status === 'rejected');
    if (failed !== undefined) throw failed.reason;
    // A salt serves for the content that it was made of, and for nothing that it became meanwhile.
    if (stateOf(content) !== sealed.state) throw fileChanged(content.file);
    renameSync(temporary, file);
  } catch (error) {
    rmSync(temporary, { force: true });
    throw error;
  }
}
