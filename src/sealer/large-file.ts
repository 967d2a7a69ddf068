import { createCipheriv, createHash } from 'node:crypto';
import { closeSync, openSync, readSync, writeSync, writevSync } from 'node:fs';
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
  | { readonly kind: 'digest'; readonly file: string; readonly start: number; readonly end: number }
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

/** Bytes that are held at once. */
const piece = 2 * 1024 * 1024;

export const fileChanged = (file: string): DorlinError =>
  new DorlinError('site-changing', `${file} has changed while it was read.`);

/** @throws DorlinError `site-changing` */
export function doLargeTask(task: LargeTask): Uint8Array {
  const source = openSync(task.file, 'r');
  const fill = (into: Uint8Array, at: number): Uint8Array => {
    for (let have = 0; have < into.length;) {
      const read = readSync(source, into, have, into.length - have, at + have);
      if (read === 0) throw fileChanged(task.file);
      have += read;
    }
    return into;
  };
  try {
    return task.kind === 'digest' ? digest(task, fill) : encrypt(task, fill);
  } finally {
    closeSync(source);
  }
}

type Fill = (into: Uint8Array, at: number) => Uint8Array;

/** Of what is cryptographic digests in Node the quickest where a processor has none built in. */
function digest({ start, end }: Extract<LargeTask, { kind: 'digest' }>, fill: Fill): Uint8Array {
  const hash = createHash('blake2b512');
  const held = Buffer.allocUnsafe(Math.min(piece, end - start));
  for (let at = start; at < end; at += held.length) {
    hash.update(fill(held.subarray(0, Math.min(held.length, end - at)), at));
  }
  return hash.digest();
}

function encrypt(
  { how, first, last, to, headerLength }: Extract<LargeTask, { kind: 'encrypt' }>,
  fill: Fill,
): Uint8Array {
  const { recordSize, length } = how.layout;
  const room = roomIn(recordSize);
  const atOnce = Math.max(1, Math.floor(piece / recordSize));
  const held = Buffer.allocUnsafe(atOnce * room);
  const output = openSync(to, 'r+');
  try {
    for (let from = first; from < last; from += atOnce) {
      const until = Math.min(last, from + atOnce);
      const [start, end] = [Math.min(length, from * room), Math.min(length, until * room)];
      const pieces: Uint8Array[] = [];
      encryptInto(pieces, how, fill(held.subarray(0, end - start), start), from, until);
      const at = headerLength + from * recordSize;
      const all = pieces.reduce((sum, { length: one }) => sum + one, 0);
      let done = writevSync(output, pieces, at);
      // A part may be written, as a full disk lets it.
      for (const bytes = done < all ? Buffer.concat(pieces) : noBytes; done < all;) {
        done += writeSync(output, bytes, done, bytes.length - done, at + done);
      }
    }
  } finally {
    closeSync(output);
  }
  return noBytes;
}
