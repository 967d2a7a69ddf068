/** Encodings in which a byte below 0x80 may be something else than ASCII, or that have states. */
const notAscii = /^(utf-16|utf-32|ucs-?[24]|iso-2022|iso-10646|utf-7|hz)/i;

/**
 * The text of an HTML document as a browser reads it (HTML standard section 13.2.3): by its byte
 * order mark, else by the header, else by its `meta`, else as UTF-8, or windows-1252 where it is
 * none. Which of the last is chosen makes no difference to its tags.
 *
 * @returns undefined where browsers might read tags that this reading does not have
 */
export function decodeHtml(body: Uint8Array, contentType: string): string | undefined {
  const mark = markOf(body);
  const declared = /;\s*charset\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s;]+))/i.exec(contentType);
  const fromHeader = declared?.[1] ?? declared?.[2] ?? declared?.[3];
  const label = mark ?? fromHeader ?? metaCharset(body);
  const isSure = mark !== undefined || fromHeader !== undefined;
  if (!isSure && ((label !== undefined && notAscii.test(label)) || hasStates(body))) {
    return undefined;
  }
  if (label !== undefined) return decode(body, label);
  return decode(body, 'utf-8', true) ?? decode(body, 'windows-1252');
}

function markOf(body: Uint8Array): string | undefined {
  if (body[0] === 0xef && body[1] === 0xbb && body[2] === 0xbf) return 'utf-8';
  if (body[0] === 0xfe && body[1] === 0xff) return 'utf-16be';
  return body[0] === 0xff && body[1] === 0xfe ? 'utf-16le' : undefined;
}

function metaCharset(body: Uint8Array): string | undefined {
  const start = decode(body.subarray(0, 1024), 'windows-1252') ?? '';
  return /<meta[^>]*?charset\s*=\s*["']?\s*([^\s"'/>;]+)/i.exec(start)?.[1];
}

/** Escape characters switch encodings with states, which browsers guess where none is declared. */
const hasStates = (body: Uint8Array) => body.includes(0x1b) || body.includes(0);

function decode(body: Uint8Array, label: string, fatal = false): string | undefined {
  try {
    return new TextDecoder(label, { fatal }).decode(body);
  } catch {
    return undefined;
  }
}
