/** One step of a request's way, as a proxy tells of it. */
export interface ForwardedHop {
  /** Who sent it on to the proxy: an address, perhaps with a port, `unknown`, or a made-up name. */
  readonly for?: string | undefined;
  readonly proto?: string | undefined;
  readonly host?: string | undefined;
}

const token = "[!#$%&'*+.^_`|~0-9A-Za-z-]+";
const quoted = String.raw`"((?:[\t \x21\x23-\x5b\x5d-\x7e]|\\[\t \x21-\x7e])*)"`;

/** Longest header that is read, in letters. */
const maxLength = 8192;

/**
 * Reads a `Forwarded` header (RFC 7239 section 4), the nearest proxy's word last.
 * @returns undefined where it is not written as the standard says: then nothing in it is heard
 */
export function parseForwarded(header: string): readonly ForwardedHop[] | undefined {
  if (header.length > maxLength) return undefined;
  // No two runs of spaces may meet, or a long one would be tried at each of its letters.
  const pair = new RegExp(`[ \\t]*(?:(${token})=(?:(${token})|${quoted})[ \\t]*)?([,;]|$)`, 'y');
  const hops: ForwardedHop[] = [];
  let hop = new Map<string, string>();
  while (pair.lastIndex <= header.length) {
    const found = pair.exec(header);
    if (found === null) return undefined;
    const [, name, plain, inQuotes, end] = found;
    if (name !== undefined) {
      const key = name.toLowerCase();
      // Of two answers to one question neither can be believed.
      if (hop.has(key)) return undefined;
      hop.set(key, plain ?? (inQuotes ?? '').replace(/\\(.)/g, '$1'));
    }
    if (end !== ';' && hop.size > 0) {
      hops.push({ for: hop.get('for'), proto: hop.get('proto'), host: hop.get('host') });
      hop = new Map();
    }
    if (end === '') return hops;
  }
  return hops;
}
