import { promisify } from 'node:util';
import { brotliCompress, brotliDecompress, deflate, gunzip, gzip, inflate } from 'node:zlib';
import type { BodyTools } from '../guard/page/held-answer.js';

const decoders = new Map(
  Object.entries({ gzip: gunzip, 'x-gzip': gunzip, br: brotliDecompress, deflate: inflate }).map(([name, work]) => [
    name,
    promisify<Uint8Array, object, Buffer>(work),
  ]),
);
const encoders = new Map(
  Object.entries({ gzip, 'x-gzip': gzip, br: brotliCompress, deflate }).map(([name, work]) => [
    name,
    promisify<Uint8Array, object, Buffer>(work),
  ]),
);

/** What the guard needs to read a body that is held, and to write it as it was coded. */
export const bodyTools: BodyTools = {
  decode: (coding, body, most) => decoders.get(coding)?.(body, { maxOutputLength: most }),
  encode: (coding, body) => encoders.get(coding)?.(body, {}),
  joined: (pieces) => (pieces.length === 1 && pieces[0] !== undefined ? pieces[0] : Buffer.concat(pieces)),
  letters: (body) => Buffer.from(body.buffer, body.byteOffset, body.length).toString('latin1'),
  pause: promisify(setImmediate),
};
