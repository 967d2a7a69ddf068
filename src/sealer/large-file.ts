import { createCipheriv } from 'node:crypto';
import { open, type FileHandle } from 'node:fs/promises';
import { DorlinError } from '../core/errors.js';
import { framed, recordAt, recordNonce, roomIn, type Layout } from '../core/sealing/records.js';

/** What encrypts the records of one file. */
export interface Encrypting {
  readonly layout: Layout;
  readonly cek: Uint8Array;
  readonly nonce: Uint8Array;
}

const noBytes = new Uint8Array();

/** Encrypts some records into pieces. @param plain - what these hold */
export function encryptInto(
  pieces: Uint8Array[],
  { layout, cek, nonce }: Encrypting,
  plain: Uint8Array,
  first: number,
  last: number,
): void {
  const room = roomIn(layout.recordSize);
  for (let index = first; index < last; index++) {
    const { start, end, padding, isLast } = recordAt(layout, index);
    const cipher = createCipheriv('aes-128-gcm', cek, recordNonce(nonce, index));
    const from = start - first * room;
    pieces.push(cipher.update(plain.subarray(from, from + end - start)));
    pieces.push(cipher.update(framed(noBytes, padding, isLast)));
    cipher.final();
    pieces.push(cipher.getAuthTag());
  }
}

/** A part of the work on a large file, which any thread can do. */
export type LargeTask =
  | {
      readonly kind: 'digest';
      readonly file: string;
      readonly start: number;
      readonly end: number;
      /** Of 16 bytes. */
      readonly key: Uint8Array;
    }
  | {
      readonly kind: 'encrypt';
      readonly file: string;
      readonly how: Encrypting;
      /** Records. */
      readonly first: number;
      readonly last: number;
      /** Where they are written: a file that is there, and where its first record begins. */
      readonly to: string;
      readonly headerLength: number;
    };

/** Bytes that are read, encrypted and written at once. */
const piece = 1024 * 1024;
/** Pieces that are read ahead, and as many that are written behind, while one is encrypted. */
const ahead = 3;

export const fileChanged = (file: string): DorlinError =>
  new DorlinError('site-changing', `${file} has changed while it was read.`);

/** @throws DorlinError `site-changing` */
export async function doLargeTask(task: LargeTask): Promise<Uint8Array> {
  const source = await open(task.file, 'r');
  const fill = async (into: Uint8Array, at: number): Promise<Uint8Array> => {
    for (let have = 0; have < into.length;) {
      const { bytesRead } = await source.read(into, have, into.length - have, at + have);
      if (bytesRead === 0) throw fileChanged(task.file);
      have += bytesRead;
    }
    return into;
  };
  try {
    return task.kind === 'digest' ? await digest(task, fill) : await encrypt(task, fill);
  } finally {
    await source.close();
  }
}

type Fill = (into: Uint8Array, at: number) => Promise<Uint8Array>;

/**
 * Reads one piece after the other, some ahead: the processor has one to work on while the disk has the next.
 * What one call gave may be written over after the next few.
 */
function readAhead(fill: Fill, spans: readonly (readonly [start: number, end: number])[]) {
  const longest = Math.max(0, ...spans.map(([start, end]) => end - start));
  const buffers = Array.from({ length: Math.min(ahead + 1, spans.length) }, () => Buffer.allocUnsafe(longest));
  const reading: Promise<Uint8Array>[] = [];
  let next = 0;
  const begin = () => {
    const [start, end] = spans[next] ?? [0, 0];
    const read = fill((buffers[next++ % buffers.length] ?? Buffer.alloc(0)).subarray(0, end - start), start);
    // Told where it is waited for; until then it is nobody's.
    read.catch(() => undefined);
    reading.push(read);
  };
  return {
    async take(): Promise<Uint8Array> {
      while (next < spans.length && reading.length < ahead) begin();
      return (await reading.shift()) ?? noBytes;
    },
    /** Waits for what is still read: its buffers and its file are in use until then. */
    settled: async () => {
      await Promise.allSettled(reading);
    },
  };
}

/**
 * A keyed fingerprint of a part: the tag of AES-GCM over it (GMAC, NIST SP 800-38D) under one nonce, as AES-GCM-SIV
 * (RFC 8452) makes its nonces of POLYVAL. Two contents have the same one with a chance of 2^-108 at most for whoever does
 * not hold the key. The nonce serves for many contents, so that a tag would tell of the key: none leaves the sealer, which
 * digests them. Ten times as fast as what digests without a key.
 */
async function digest({ start, end, key }: Extract<LargeTask, { kind: 'digest' }>, fill: Fill): Promise<Uint8Array> {
  const tag = createCipheriv('aes-128-gcm', key, new Uint8Array(12));
  const spans = Array.from({ length: Math.ceil((end - start) / piece) }, (_, index) => {
    const at = start + index * piece;
    return [at, Math.min(end, at + piece)] as const;
  });
  const plain = readAhead(fill, spans);
  try {
    for (let left = spans.length; left > 0; left--) tag.setAAD(await plain.take());
  } finally {
    await plain.settled();
  }
  tag.final();
  return tag.getAuthTag();
}

async function encrypt(
  { how, first, last, to, headerLength }: Extract<LargeTask, { kind: 'encrypt' }>,
  fill: Fill,
): Promise<Uint8Array> {
  const { recordSize, length } = how.layout;
  const room = roomIn(recordSize);
  const atOnce = Math.max(1, Math.floor(piece / recordSize));
  const runs = Array.from({ length: Math.ceil((last - first) / atOnce) }, (_, index) => {
    const from = first + index * atOnce;
    return [from, Math.min(last, from + atOnce)] as const;
  });
  const plain = readAhead(
    fill,
    runs.map(([from, until]) => [Math.min(length, from * room), Math.min(length, until * room)] as const),
  );
  const output = await open(to, 'r+');
  const writing: Promise<void>[] = [];
  try {
    for (const [from, until] of runs) {
      const pieces: Uint8Array[] = [];
      encryptInto(pieces, how, await plain.take(), from, until);
      if (writing.length === ahead) await writing.shift();
      const written = writeAll(output, pieces, headerLength + from * recordSize);
      written.catch(() => undefined);
      writing.push(written);
    }
    await Promise.all(writing);
  } finally {
    await Promise.allSettled([...writing, plain.settled()]);
    await output.close();
  }
  return noBytes;
}

async function writeAll(output: FileHandle, pieces: readonly Uint8Array[], at: number): Promise<void> {
  const all = pieces.reduce((sum, { length }) => sum + length, 0);
  let { bytesWritten: done } = await output.writev(pieces, at);
  // A part may be written, as a full disk lets it.
  for (const bytes = done < all ? Buffer.concat(pieces) : noBytes; done < all;) {
    done += (await output.write(bytes, done, bytes.length - done, at + done)).bytesWritten;
  }
}
