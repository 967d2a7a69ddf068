import { createCipheriv, createHmac, hkdfSync } from 'node:crypto';
import { createReadStream } from 'node:fs';
import { open, rename, rm, stat, type FileHandle } from 'node:fs/promises';
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
  readonly salt: Bytes;
  /** Bytes of the content as it lies in the records. */
  readonly length: number;
  readonly content: Content;
  /** Of a file: how it was before it was read. */
  readonly state: string;
}

/** Packs what packs well. */
export const packed = (bytes: Uint8Array): Promise<Uint8Array> => packedBytes(bytes, { level: 6 });

/**
 * The salt of a content, and the name of its file. Of what is really encrypted, so that no salt, and by it
 * no nonce, ever serves for two contents.
 */
export async function named(path: string, content: Content, area: AreaKeys): Promise<Sealed> {
  const hash = createHmac('sha256', area.naming.salt).update(`${path}\0${usualRecordSize}\0`);
  const state = await stateOf(content);
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
  return { blob: `s${toBase64Url(new Uint8Array(name))}`, salt, length, content, state };
}

/** Records that are encrypted before they are written together. */
const together = 64;

/** What tells a file as it is from what it may become meanwhile. */
async function stateOf(content: Content): Promise<string> {
  if ('bytes' in content) return '';
  const { size, mtimeNs, ctimeNs, ino } = await stat(content.file, { bigint: true });
  return [size, mtimeNs, ctimeNs, ino].join(' ');
}

/**
 * Writes a sealed file whole: under another name first. The next records are read while these are encrypted,
 * and those before are written.
 *
 * @param file - in a folder that is there
 * @throws DorlinError `site-changing`
 */
export async function writeSealed(file: string, sealed: Sealed, area: AreaKeys): Promise<void> {
  const { salt, length, content } = sealed;
  const cek = Buffer.from(hkdfSync('sha256', area.key, salt, 'Content-Encoding: aes128gcm\0', 16));
  const nonce = new Uint8Array(hkdfSync('sha256', area.key, salt, 'Content-Encoding: nonce\0', 12));
  const layout = layoutOf(length, paddingFor(length));
  const room = roomIn(layout.recordSize);
  const temporary = `${file}.${process.pid}.part`;
  const output = await open(temporary, 'w');
  const source = 'file' in content ? await open(content.file) : undefined;
  try {
    const read = async (first: number): Promise<Uint8Array> => {
      const [start, end] = [first * room, Math.min(length, (first + together) * room)];
      if ('bytes' in content) return content.bytes.subarray(start, end);
      const held = Buffer.allocUnsafe(Math.max(0, end - start));
      let have = 0;
      while (source !== undefined && have < held.length) {
        const { bytesRead } = await source.read(held, have, held.length - have, start + have);
        if (bytesRead === 0) throw changed(content.file);
        have += bytesRead;
      }
      return held;
    };
    let next = read(0);
    let writing: Promise<unknown> = Promise.resolve();
    for (let first = 0; first < layout.records; first += together) {
      const plain = await next;
      const last = Math.min(layout.records, first + together);
      if (last < layout.records) next = read(last);
      const pieces: Uint8Array[] = first === 0 ? [headerOf(salt, layout.recordSize)] : [];
      for (let index = first; index < last; index++) {
        const { start, end, padding, isLast } = recordAt(layout, index);
        const cipher = createCipheriv('aes-128-gcm', cek, recordNonce(nonce, index));
        const from = start - first * room;
        pieces.push(cipher.update(plain.subarray(from, from + end - start)));
        pieces.push(cipher.update(framed(noBytes, padding, isLast)));
        cipher.final();
        pieces.push(cipher.getAuthTag());
      }
      await writing;
      writing = writeAll(output, pieces);
    }
    await writing;
    // A salt serves for the content that it was made of, and for nothing that it became meanwhile.
    if ((await stateOf(content)) !== sealed.state) throw changed(file);
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

const noBytes = new Uint8Array();

const changed = (file: string) => new DorlinError('site-changing', `${file} has changed while it was read.`);

/** `writev` may write a part, as a full disk lets it. */
async function writeAll(output: FileHandle, pieces: readonly Uint8Array[]): Promise<void> {
  const all = pieces.reduce((length, piece) => length + piece.length, 0);
  const { bytesWritten } = await output.writev(pieces);
  if (bytesWritten === all) return;
  const rest = Buffer.concat(pieces).subarray(bytesWritten);
  for (let at = 0; at < rest.length;) at += (await output.write(rest, at)).bytesWritten;
}
