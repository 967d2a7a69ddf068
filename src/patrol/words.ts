import { decodeHTML } from 'entities';

/**
 * A text as the hashes of its words, in order; 0 stands between texts that do not belong together.
 * Words are runs of letters and digits, in small letters; each ideograph is one.
 */
export type Words = Uint32Array;

/** Which of the first letters are parts of words. */
const asciiWord = Uint8Array.from({ length: 128 }, (_, code) => (/[a-z0-9]/.test(String.fromCharCode(code)) ? 1 : 0));

/** Scripts that write without spaces: Thai and its neighbors, kana, ideographs. */
const standsAlone = (code: number) =>
  (code >= 0x0e00 && code <= 0x0fff) ||
  (code >= 0x1000 && code <= 0x109f) ||
  (code >= 0x1780 && code <= 0x17ff) ||
  (code >= 0x2e80 && code <= 0xa4cf && !(code >= 0x3000 && code <= 0x303f)) ||
  (code >= 0xf900 && code <= 0xfaff);

const isOtherLetter = (code: number) =>
  code >= 0xc0 &&
  code !== 0xd7 &&
  code !== 0xf7 &&
  !(code >= 0x2000 && code <= 0x2bff) &&
  !(code >= 0x3000 && code <= 0x303f) &&
  !(code >= 0xfe10 && code <= 0xfe6f) &&
  !(code >= 0xff00 && code <= 0xff0f) &&
  !(code >= 0xff1a && code <= 0xff20) &&
  code < 0xfff0;

/** Between texts that do not belong together, in what {@link cutWords} is given. */
export const textBreak = '\u0001';

/**
 * Cuts a text into words, by hand: it is done to every byte of a site, and a regular expression
 * takes four times as long (`npm run bench patrol`).
 *
 * @param places - where given, the start and the end of each word are added to it
 */
export function cutWords(text: string, places?: number[]): Words {
  let hashes = new Uint32Array((text.length >> 2) + 16);
  let count = 0;
  let hash = 0;
  let start = -1;
  const end = text.length;
  for (let at = 0; at <= end; at++) {
    let code = at === end ? 0 : text.charCodeAt(at);
    if (code >= 65 && code <= 90) code += 32;
    else if (code > 127) code = lowered(code);
    const isLetter = code < 128 ? asciiWord[code] === 1 : isOtherLetter(code);
    if (isLetter && code >= 0x0e00 && standsAlone(code)) {
      if (start >= 0) put(hash, start, at);
      put(Math.imul(0x811c9dc5 ^ code, 16777619), at, at + 1);
      start = -1;
    } else if (isLetter) {
      if (start < 0) {
        start = at;
        hash = 0x811c9dc5;
      }
      hash = Math.imul(hash ^ code, 16777619);
    } else if (start >= 0) {
      put(hash, start, at);
      start = -1;
    }
    if (code === 1) put(0, at, at + 1);
  }
  return hashes.slice(0, count);

  function put(value: number, from: number, to: number): void {
    if (count === hashes.length) {
      const longer = new Uint32Array(hashes.length * 2);
      longer.set(hashes);
      hashes = longer;
    }
    // FNV-1a ends with little mixed into the high bits (Murmur3's last step does that).
    let mixed = value;
    if (mixed !== 0) {
      mixed ^= mixed >>> 16;
      mixed = Math.imul(mixed, 0x85ebca6b);
      mixed ^= mixed >>> 13;
    }
    hashes[count++] = mixed;
    places?.push(from, to);
  }
}

// To ask a string for its small letters takes longer than all else here.
const known = new Uint16Array(0x10000);

/** The small letter of one that is not ASCII. */
function lowered(code: number): number {
  const small = known[code];
  if (small !== undefined && small !== 0) return small;
  // One that becomes two, such as the dotted capital I, stays as it is.
  const letter = String.fromCharCode(code).toLowerCase();
  return (known[code] = letter.length === 1 ? letter.charCodeAt(0) : code);
}

/** How many words in a row are looked for at once. */
export const windowLength = 6;

/** The hash of `length` words in a row; 0 where a break is among them. */
export function windowHash(words: Words, at: number, length = windowLength): number {
  let hash = length;
  for (let one = at; one < at + length; one++) {
    const word = words[one];
    if (word === undefined || word === 0) return 0;
    hash = Math.imul((hash << 5) | (hash >>> 27), 0x9e3779b1) ^ word;
  }
  return (hash ^ (hash >>> 15)) >>> 0;
}

/** All windows of a text with where they begin. */
export function eachWindow(words: Words, found: (hash: number, at: number) => void, length = windowLength): void {
  for (let at = 0; at + length <= words.length; at++) {
    const hash = windowHash(words, at, length);
    if (hash !== 0) found(hash, at);
  }
}

const quotedValue = /="([^"<>]{12,})"/g;
const eitherValue = /=\s*(?:"([^"<>]{12,})"|'([^'<>]{12,})')/g;

/** Whether the value behind an equals sign draws or styles something, and says nothing. */
const isDrawn = (text: string, equals: number) =>
  /[\s"'](?:class|style|d|points|sizes|viewBox|srcset|rel|allow)$/.test(text.slice(Math.max(0, equals - 9), equals));

/**
 * What a page, a script or data says, as one text: marks of HTML gone, the letters that JSON,
 * scripts and HTML write as numbers put back, what lies packed in base64 added.
 */
export function saidIn(text: string, isHtml: boolean): string {
  let said = text;
  if (said.includes('\\')) said = withoutEscapes(said);
  let more = '';
  if (isHtml) {
    for (const match of said.matchAll(said.includes("='") ? eitherValue : quotedValue)) {
      const value = match[1] ?? match[2] ?? '';
      if (value.includes(' ') && !isDrawn(said, match.index)) more += `${textBreak}${value}`;
    }
    if (said.includes('<!--')) said = said.replace(/<!--|-->/g, ' ');
  }
  more += unpackedBase64(text);
  if (text.includes('%20')) more += `${textBreak}${fromUrl(text)}`;
  said = withoutTags(said) + withoutTags(decoded(more));
  return decoded(said);
}

/** What is written as a part of a URL (RFC 3986 section 2.1). */
const fromUrl = (text: string) =>
  text.replace(/(?:%[0-9a-f]{2})+/gi, (letters) => {
    try {
      return decodeURIComponent(letters);
    } catch {
      return letters;
    }
  });

/** JSON and JavaScript: RFC 8259 section 7, ECMA-262 section 12.9.4. */
const withoutEscapes = (text: string) =>
  text.replace(
    /\\(?:u([0-9a-f]{4})|u\{([0-9a-f]{1,6})\}|x([0-9a-f]{2})|([nrtbfv])|(["'/`\\]))/gi,
    (_, unit?: string, point?: string, byte?: string, space?: string, sign?: string) => {
      if (sign !== undefined) return sign;
      if (space !== undefined) return ' ';
      const code = parseInt(unit ?? point ?? byte ?? '', 16);
      return code > 0x10ffff ? ' ' : String.fromCodePoint(code);
    },
  );

const withoutTags = (text: string) => (text.includes('<') ? text.replace(/<[^<>]*>/g, ' ') : text);

const decoded = (text: string) => {
  if (!text.includes('&')) return text;
  const plain = decodeHTML(text);
  // Pages inside of data are written as letters twice.
  return plain.includes('<') && plain !== text ? withoutTags(plain) : plain;
};

/** The shortest run of letters that is taken for something packed. */
const shortestRun = 120;
const base64Letter = Uint8Array.from({ length: 128 }, (_, code) =>
  /[A-Za-z0-9+/_-]/.test(String.fromCharCode(code)) ? 1 : 0,
);

function unpackedBase64(text: string): string {
  let more = '';
  const isPacked = (at: number) => base64Letter[text.charCodeAt(at)] === 1;
  // A run this long covers one of the letters that are looked at; all others need no look.
  for (let at = shortestRun - 1; at < text.length; at += shortestRun) {
    if (!isPacked(at)) continue;
    let start = at;
    while (start > 0 && isPacked(start - 1)) start--;
    let end = at + 1;
    while (end < text.length && isPacked(end)) end++;
    at = end - 1;
    if (end - start < shortestRun) continue;
    const plain = Buffer.from(text.slice(start, end), 'base64').toString('utf8');
    // Pictures and fonts are packed the same way, and say nothing.
    const isText = !/[\x00-\x08\x0e-\x1f\ufffd]/.test(plain.slice(0, 200));
    if (isText) more += `${textBreak}${withoutEscapes(plain)}`;
  }
  return more;
}
