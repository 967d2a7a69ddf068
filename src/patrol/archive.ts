import * as zlib from 'node:zlib';
import { unzipSync } from 'fflate';
import { decodeHtml } from '../core/sections/charset.js';
import { textBreak } from './words.js';

/** Bytes of all files of an archive together; what is larger is left out. */
const mostBytes = 2 ** 26;

const isZip = (body: Buffer) => body.subarray(0, 4).toString('latin1') === 'PK\x03\x04';
/** Its header has NULs in it, as no text has. */
const isTar = (body: Buffer) =>
  body.subarray(257, 262).toString('latin1') === 'ustar' && body.subarray(0, 512).includes(0);

/** Files of an archive are read as text if they have no NUL in them, whatever their name. */
const isText = (bytes: Uint8Array) => !bytes.subarray(0, 4096).includes(0);

/**
 * The text of all files in an archive, and their names: of a zip (office documents and e-books are zips) or a tar.
 *
 * @returns undefined if it isn't an archive, or can't be read
 */
export function archiveText(body: Buffer): string | undefined {
  const files = isZip(body) ? zipFiles(body) : isTar(body) ? tarFiles(body) : undefined;
  return files?.map(({ name, bytes }) => `${name}${textBreak}${textOf(bytes)}`).join(textBreak);
}

/** What a packed file or an archive, packed or not, says. @returns undefined if it cannot be read */
export function unpackedText(path: string, body: Buffer): string | undefined {
  const unpack = unpackerOf(path, body);
  try {
    const plain = unpack === undefined ? body : unpack(body, { maxOutputLength: mostBytes });
    return archiveText(plain) ?? (unpack === undefined ? undefined : textOf(plain));
  } catch {
    return undefined;
  }
}

interface ArchivedFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

const textOf = (bytes: Uint8Array) =>
  isText(bytes) ? (decodeHtml(Buffer.from(bytes), '') ?? Buffer.from(bytes).toString('latin1')) : '';

function zipFiles(body: Buffer): ArchivedFile[] | undefined {
  let left = mostBytes;
  try {
    const files = unzipSync(body, { filter: ({ originalSize }) => (left -= originalSize) >= 0 });
    return Object.entries(files).map(([name, bytes]) => ({ name, bytes }));
  } catch {
    return undefined;
  }
}

/** Of a tar (POSIX.1-1988 ustar): headers of 512 bytes, each with the file behind it, filled up to 512. */
function tarFiles(body: Buffer): ArchivedFile[] {
  const files: ArchivedFile[] = [];
  for (let at = 0; at + 512 <= body.length;) {
    const field = (start: number, length: number) =>
      body
        .subarray(at + start, at + start + length)
        .toString('latin1')
        .replace(/\0.*$/s, '')
        .trim();
    const size = parseInt(field(124, 12), 8);
    if (field(0, 100) === '' || !Number.isSafeInteger(size) || size < 0) break;
    files.push({ name: field(0, 100), bytes: body.subarray(at + 512, at + 512 + size) });
    at += 512 + Math.ceil(size / 512) * 512;
  }
  return files;
}

/** How a packed body is unpacked: by its first bytes, or by its ending if nothing in it says so. */
export function unpackerOf(
  path: string,
  body: Buffer,
): ((body: Buffer, options: { readonly maxOutputLength: number }) => Buffer) | undefined {
  if (body[0] === 0x1f && body[1] === 0x8b) return zlib.gunzipSync;
  // From Node 22.15 on.
  if (body.length >= 4 && body.readUInt32LE(0) === 0xfd2fb528)
    return (zlib as { readonly zstdDecompressSync?: typeof zlib.gunzipSync }).zstdDecompressSync;
  return /\.br(?=$|\?)/i.test(path) ? zlib.brotliDecompressSync : undefined;
}
