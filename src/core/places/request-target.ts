/** Why a request target cannot be read for certain. The guard answers such a target with 400. */
export type Refusal =
  | 'not-a-path'
  | 'bad-authority'
  | 'other-host'
  | 'too-long'
  | 'too-many-parts'
  | 'control-character'
  | 'backslash'
  | 'raw-non-ascii'
  | 'fragment'
  | 'bad-encoding'
  | 'double-encoding'
  | 'dot-segment'
  | 'stream-name'
  | 'too-many-readings'
  | 'own-file';

/**
 * A request target in its one normal form: origin-form (RFC 9112 section 3.2.1), unreserved
 * characters decoded, all else that is not allowed in a path or a query encoded, hexadecimal digits
 * in capitals (RFC 3986 section 6.2.2). What is judged is this, and what is passed on is this, so
 * that no other program can read the bytes that arrived in another way.
 */
export type NormalTarget =
  | {
      readonly ok: true;
      readonly target: string;
      /** The host that an absolute-form target (RFC 9112 section 3.2.2) named, in small letters. */
      readonly authority?: string | undefined;
    }
  | { readonly ok: false; readonly refusal: Refusal };

/** Longest path that is read, in UTF-16 code units, before the query. */
export const maxPathLength = 4096;
/** Longest target, with its query. */
export const maxTargetLength = 65_536;

const slash = 47;

/** Letters that stand for themselves in a path (1) and, besides those, in a query (2). */
const kinds = new Uint8Array(128);
for (const letter of "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-._~!$&'()*+,;=:@/")
  kinds[letter.charCodeAt(0)] = 1;
// A query may have these by RFC 3986 section 3.4, or by what browsers leave as it is there.
for (const letter of '?[]{}|^`') kinds[letter.charCodeAt(0)] = 2;

/** The normal form of a target as it arrived, or why there is none. Idempotent; never throws. */
export function normalTarget(raw: string): NormalTarget {
  if (isNormal(raw)) return { ok: true, target: raw };
  if (raw.length > maxTargetLength) return refuse('too-long');
  let rest = raw;
  let authority: string | undefined;
  if (raw.charCodeAt(0) !== slash) {
    const found = /^https?:\/\/([^/?#\\]*)/i.exec(raw);
    if (found === null) return refuse(/^[a-z][a-z0-9+.-]*:\//i.test(raw) ? 'bad-authority' : 'not-a-path');
    authority = (found[1] ?? '').toLowerCase();
    if (!isPlainAuthority(authority)) return refuse('bad-authority');
    rest = raw.slice(found[0].length);
    if (rest === '' || rest.startsWith('?')) rest = `/${rest}`;
  }
  if (rest.includes('#')) return refuse('fragment');
  if (rest.charCodeAt(0) !== slash) return refuse(rest.startsWith('\\') ? 'backslash' : 'not-a-path');
  const question = rest.indexOf('?');
  const path = question < 0 ? rest : rest.slice(0, question);
  if (path.length > maxPathLength) return refuse('too-long');
  if (path.includes('\\')) return refuse('backslash');
  if (/[\x00-\x20\x7f]/.test(path)) return refuse('control-character');
  // RFC 3986 section 2: what is not ASCII is sent percent-encoded.
  if (/[^\x00-\x7f]/.test(path)) return refuse('raw-non-ascii');
  if (/%(?![0-9a-f]{2})/i.test(path)) return refuse('bad-encoding');
  const query = question < 0 ? '' : rest.slice(question);
  return { ok: true, target: normalText(path, 1) + normalText(query, 2), authority };
}

/** Whether nothing has to be changed, as is so for nearly every request. */
function isNormal(raw: string): boolean {
  const { length } = raw;
  if (raw.charCodeAt(0) !== slash || length > maxTargetLength) return false;
  let allowed = 1;
  for (let at = 1; at < length; at++) {
    const code = raw.charCodeAt(at);
    const kind = code < 128 ? (kinds[code] ?? 0) : 0;
    if (kind === 0) return false;
    if (kind > allowed) {
      if (code !== 63 || at > maxPathLength) return false;
      allowed = 2;
    }
  }
  return allowed === 2 || length <= maxPathLength;
}

/** `host` or `host:port`: no user, no encoding, no port beyond 65,535 (RFC 3986 section 3.2). */
function isPlainAuthority(authority: string): boolean {
  const port = /^(?:[a-z0-9_](?:[a-z0-9_.-]*[a-z0-9_.])?|\[[0-9a-f:.]{2,45}\])(?::(\d{1,5}))?$/.exec(authority);
  return port !== null && authority.length <= 261 && Number(port[1] ?? 80) <= 65_535 && port[1] !== '0';
}

const isUnreserved = /^[A-Za-z0-9._~-]$/;
const encoder = new TextEncoder();

/** A path or a query, each letter in the one way in which it is written. */
function normalText(text: string, allowed: number): string {
  let written = '';
  // Letters that stay are taken in runs.
  let from = 0;
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    if (code < 128 && kinds[code] !== 0 && (kinds[code] ?? 0) <= allowed) continue;
    written += text.slice(from, at);
    if (code === 37 && /^[0-9a-f]{2}$/i.test(text.slice(at + 1, at + 3))) {
      const pair = text.slice(at + 1, at + 3).toUpperCase();
      const letter = String.fromCharCode(parseInt(pair, 16));
      written += isUnreserved.test(letter) ? letter : `%${pair}`;
      at += 2;
    } else if (code < 256) written += percent(code);
    else {
      const point = text.codePointAt(at) ?? 0xfffd;
      for (const byte of encoder.encode(String.fromCodePoint(point))) written += percent(byte);
      if (point > 0xffff) at++;
    }
    from = at + 1;
  }
  return written + text.slice(from);
}

const percent = (byte: number) => `%${byte.toString(16).padStart(2, '0').toUpperCase()}`;

/**
 * Whether the host that an absolute-form target names is the one that the header `Host` names; what
 * stands behind would have to guess which of them counts (RFC 9112 section 3.2.2).
 */
export function isSameHost(authority: string, host: string | undefined): boolean {
  if (host === undefined) return true;
  const bare = (text: string) =>
    text
      .trim()
      .toLowerCase()
      .replace(/:(?:80|443)$/, '');
  return bare(authority) === bare(host);
}

function refuse(refusal: Refusal): NormalTarget {
  return { ok: false, refusal };
}
