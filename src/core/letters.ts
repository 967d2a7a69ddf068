/** Bytes as one letter each: U+0000 to U+00FF. */
export function lettersOf(bytes: Uint8Array): string {
  let letters = '';
  // In pieces, as a call takes only so many arguments.
  for (let at = 0; at < bytes.length; at += 8192) {
    letters += String.fromCharCode(...bytes.subarray(at, at + 8192));
  }
  return letters;
}

/** The bytes that letters of {@link lettersOf} stand for. */
export function bytesOf(letters: string): Uint8Array<ArrayBuffer> {
  const bytes = new Uint8Array(letters.length);
  for (let at = 0; at < letters.length; at++) bytes[at] = letters.charCodeAt(at);
  return bytes;
}
