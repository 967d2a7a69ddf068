import { lettersOf } from '../core/letters.js';
import type { BodyTools } from '../guard/page/held-answer.js';
import { gunzipped, gzipped, isGzip } from '../guard/page/gzip.js';

/** Codings that can be read with what every runtime has. */
export const webCodings = /^\s*(?:gzip|x-gzip|identity)\s*(?:;|$)/i;

const isPacked = (coding: string) => coding === 'gzip' || coding === 'x-gzip';

/** What the guard needs to read a body that is held, and to write it as it was coded, on web standards alone. */
export const webBodyTools: BodyTools = {
  decode: (coding, body) => {
    if (!isPacked(coding)) return undefined;
    // What another server answered comes unpacked, and still under the header that said so.
    return isGzip(body) ? gunzipped(body).then(whole) : Promise.resolve(body);
  },
  encode: (coding, body) => (isPacked(coding) ? gzipped(body) : undefined),
  joined: (pieces) => {
    const [first] = pieces;
    if (pieces.length === 1 && first !== undefined) return first;
    const all = new Uint8Array(pieces.reduce((sum, { length }) => sum + length, 0));
    let at = 0;
    for (const piece of pieces) {
      all.set(piece, at);
      at += piece.length;
    }
    return all;
  },
  letters: lettersOf,
  pause: () => new Promise((resolve) => setTimeout(resolve, 0)),
};

function whole(body: Uint8Array | undefined): Uint8Array {
  if (body === undefined) throw new Error('it does not unpack');
  return body;
}
