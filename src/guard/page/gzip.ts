/** Longest body that is made of a packed one, in bytes. */
const maxBytes = 64 * 1024 * 1024;

/** Whether bytes are a gzip file (RFC 1952 section 2.3.1). */
export const isGzip = (bytes: Uint8Array) => bytes[0] === 0x1f && bytes[1] === 0x8b;

/** What was packed; undefined where that cannot be had whole, or is too long. */
export async function gunzipped(bytes: Uint8Array): Promise<Uint8Array | undefined> {
  try {
    return await through(new DecompressionStream('gzip'), bytes);
  } catch {
    return undefined;
  }
}

export const gzipped = (bytes: Uint8Array) => through(new CompressionStream('gzip'), bytes);

async function through(
  { readable, writable }: DecompressionStream | CompressionStream,
  bytes: Uint8Array,
): Promise<Uint8Array<ArrayBuffer>> {
  const writer = writable.getWriter();
  const written = writer.write(new Uint8Array(bytes)).then(() => writer.close());
  const reader = readable.getReader();
  const pieces: Uint8Array[] = [];
  let length = 0;
  const read = async () => {
    for (;;) {
      const { value } = await reader.read();
      if (value === undefined) return;
      pieces.push(value);
      length += value.length;
      if (length > maxBytes) throw new Error('too long');
    }
  };
  await Promise.all([read(), written]);
  const whole = new Uint8Array(length);
  let at = 0;
  for (const piece of pieces) {
    whole.set(piece, at);
    at += piece.length;
  }
  return whole;
}
