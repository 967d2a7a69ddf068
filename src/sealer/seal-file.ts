import { createCipheriv, createHmac, hkdfSync } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { mkdir, open, rename, rm } from 'node:fs/promises';
import { dirname } from 'node:path';
import { promisify } from 'node:util';
import { gzip } from 'node:zlib';
import { DorlinError } from '../core/errors.js';
import { toBase64Url, type Bytes } from '../core/sealing/bytes.js';
import type { NamingKeys } from '../core/sealing/areas.js';
import {
  framed,
  headerOf,
  layoutOf,
  paddingFor,
  recordAt,
  recordNonce,
  roomIn,
  usualRecordSize,
} from '../core/sealing/records.js';

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
  readonly path: string;
  readonly salt: Bytes;
  /** Bytes of the content as it lies in the records. */
  readonly length: number;
  readonly content: Content;
}

/** Packs what packs well. */
export const packed = (bytes: Uint8Array): Promise<Uint8Array> => packedBytes(bytes, { level: 9 });

/**
 * The salt of a content, and the name of its file. Of what is really encrypted, so that no salt, and by it
 * no nonce, ever serves for two contents.
 */
export async function named(path: string, content: Content, area: AreaKeys): Promise<Sealed> {
  const hash = saltOf(path, area);
  let length = 0;
  if ('bytes' in content) {
    hash.update(content.bytes);
    length = content.bytes.length;
  } else {
    for await (const piece of createReadStream(content.file, { highWaterMark: 1 << 20 })) {
      hash.update(piece as Buffer);
      length += (piece as Buffer).length;
    }
  }
  const salt = new Uint8Array(hash.digest().subarray(0, 16));
  const name = createHmac('sha256', area.naming.name).update(salt).digest().subarray(0, 16);
  return { blob: `s${toBase64Url(new Uint8Array(name))}`, path, salt, length, content };
}

const saltOf = (path: string, { naming }: AreaKeys) =>
  createHmac('sha256', naming.salt).update(`${path}\0${usualRecordSize}\0`);

/** Records that are encrypted before they are written together. */
const together = 16;

/** Writes a sealed file whole: under another name first. */
export async function writeSealed(
  file: string,
  { path, salt, length, content }: Sealed,
  area: AreaKeys,
): Promise<void> {
  const cek = Buffer.from(hkdfSync('sha256', area.key, salt, 'Content-Encoding: aes128gcm\0', 16));
  const nonce = new Uint8Array(hkdfSync('sha256', area.key, salt, 'Content-Encoding: nonce\0', 12));
  const layout = layoutOf(length, paddingFor(length));
  const encrypt = (plain: Uint8Array, index: number) => {
    const cipher = createCipheriv('aes-128-gcm', cek, recordNonce(nonce, index));
    return [cipher.update(plain), cipher.final(), cipher.getAuthTag()];
  };
  await mkdir(dirname(file), { recursive: true });
  const temporary = `${file}.${process.pid}.part`;
  const output = await open(temporary, 'w');
  const source = 'file' in content ? await open(content.file) : undefined;
  try {
    let waiting: Uint8Array[] = [headerOf(salt, layout.recordSize)];
    const room = roomIn(layout.recordSize);
    const held = source === undefined ? undefined : Buffer.alloc(room * together);
    let heldFrom = 0;
    let heldLength = 0;
    const again = saltOf(path, area);
    for (let index = 0; index < layout.records; index++) {
      const { start, end, padding, isLast } = recordAt(layout, index);
      let plain: Uint8Array;
      if ('bytes' in content) plain = content.bytes.subarray(start, end);
      else {
        if (end > heldFrom + heldLength && source !== undefined && held !== undefined) {
          heldFrom = start;
          heldLength = (await source.read(held, 0, held.length, start)).bytesRead;
        }
        plain = held?.subarray(start - heldFrom, end - heldFrom) ?? new Uint8Array();
        again.update(plain);
        // A salt serves for the content that it was made of, and for nothing that it became meanwhile.
        const isWhole = heldFrom + heldLength >= end;
        if (!isWhole || (isLast && !again.digest().subarray(0, 16).equals(salt))) {
          throw new DorlinError('site-changing', `${content.file} has changed while it was read.`);
        }
      }
      waiting.push(...encrypt(framed(plain, padding, isLast), index));
      if (waiting.length > together * 3 || isLast) {
        await output.writev(waiting);
        waiting = [];
      }
    }
    await output.close();
    await rename(temporary, file);
  } catch (error) {
    await output.close().catch(() => undefined);
    await rm(temporary, { force: true });
    throw error;
  } finally {
    await source?.close();
  }
}
