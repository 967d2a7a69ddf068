/**
 * A password as it is hashed: composed (NFC), every kind of space a plain one (both as RFC 8265
 * section 4.2.2 says), and without the spaces at its ends that copying from a message adds.
 */
export function normalizePassword(typed: string): string {
  return typed
    .replace(/\p{Zs}/gu, ' ')
    .normalize('NFC')
    .trim();
}
