import type { Random } from './random.js';

const hex = (code: number, upper: boolean) => {
  const digits = code.toString(16).padStart(2, '0');
  return `%${upper ? digits.toUpperCase() : digits}`;
};

const encode = (text: string) => [...Buffer.from(text, 'utf8')].map((code) => hex(code, true)).join('');

type Trick = (path: string, random: Random) => string;

const atSlash =
  (put: (random: Random) => string): Trick =>
  (path, random) => {
    const slashes = [...path.matchAll(/\//g)].map(({ index }) => index);
    const at = slashes[random.below(slashes.length)] ?? 0;
    return path.slice(0, at) + put(random) + path.slice(at + 1);
  };
const atLetter =
  (put: (letter: string, random: Random) => string): Trick =>
  (path, random) => {
    const letters = [...path.matchAll(/(?<!%|%[0-9a-f])[a-z0-9]/gi)].map(({ index }) => index);
    if (letters.length === 0) return path;
    const at = letters[random.below(letters.length)] ?? 0;
    return path.slice(0, at) + put(path.charAt(at), random) + path.slice(at + 1);
  };
const atEnd =
  (...ends: string[]): Trick =>
  (path, random) =>
    path + (ends[random.below(ends.length)] ?? '');

/** Each makes another spelling of a path, one that some server might read as the same place. */
const tricks: Readonly<Record<string, Trick>> = {
  'percent-encoded letter': atLetter((letter, random) => hex(letter.charCodeAt(0), random.chance())),
  'all letters encoded': (path) => path.replace(/[a-z]/gi, (letter) => hex(letter.charCodeAt(0), false)),
  'mixed case': atLetter((letter) => letter.toUpperCase()),
  'all upper case': (path) => path.toUpperCase(),
  'double slash': atSlash((random) => '/'.repeat(2 + random.below(3))),
  'dot segment': atSlash(() => '/./'),
  'there and back': atSlash(() => '/x/../'),
  'encoded dots': atSlash((random) => ['/%2e/', '/x/%2e%2e/', '/x/.%2E/', '/x/..;/'][random.below(4)] ?? ''),
  'trailing slash': atEnd('/', '//', '/.', '/./', '/%20', '/x/..'),
  'index file': atEnd('/index.html', '/INDEX.HTML', '/index', '/index.html/', '/%69ndex.html'),
  extension: (path, random) =>
    path.replace(/\.html$/, '') + (['.html', '.HTML', '', '.html.html', '.htm%6c', '.html/'][random.below(6)] ?? ''),
  'matrix parameter': atLetter((letter, random) => letter + (random.chance() ? ';x' : ';a=b')),
  'matrix at end': atEnd(';', ';x', ';jsessionid=1', '%3bx', ';x/', ';.css', '%3Fa', '%23b'),
  'double encoding': atLetter((letter) => `%25${letter.charCodeAt(0).toString(16)}`),
  'double-encoded slash': atSlash(() => '%252f'),
  'encoded slash': atSlash((random) => (random.chance() ? '%2f' : '%2F')),
  'encoded backslash': atSlash(() => '%5c'),
  backslash: atSlash((random) => (random.chance() ? '\\' : '/\\')),
  'NUL and controls': atLetter((letter, random) => letter + hex(random.below(32), false)),
  'NUL at end': atEnd('%00', '%00.html', '%0a', '%0d%0a', '%09', '%7f', '\x01'),
  'invalid UTF-8': atLetter(
    (letter, random) => letter + (['%ff', '%c0%af', '%e0%80%af', '%ed%a0%80', '%c3'][random.below(5)] ?? ''),
  ),
  'overlong letter': atLetter(
    (letter) => hex(0xc0 | (letter.charCodeAt(0) >> 6), false) + hex(0x80 | (letter.charCodeAt(0) & 63), false),
  ),
  'broken percent': atLetter((letter, random) => letter + (['%', '%2', '%zz', '%u002f'][random.below(4)] ?? '')),
  'absolute form': (path, random) =>
    (['http://site.example', 'HTTP://x', 'https://user@site.example:80', 'http:///'][random.below(4)] ?? '') + path,
  'host in path': (path, random) => (['//', '///', '//site.example', '/\\site.example'][random.below(4)] ?? '') + path,
  fragment: atEnd('#', '#x', '#/../'),
  query: atEnd('?', '?x=1', '?/../', '?a#b', '??'),
  overlong: (path) => `${'/.'.repeat(2100)}${path}`,
  'many slashes': (path) => `${'/'.repeat(700)}${path}`,
  'full-width letter': atLetter((letter) => encode(String.fromCharCode(letter.charCodeAt(0) + 0xfee0))),
  'full-width slash': atSlash(() => encode('\uff0f')),
  'ignorable character': atLetter(
    (letter, random) => letter + encode(['\u00ad', '\u200d', '\ufeff', '\u2060'][random.below(4)] ?? ''),
  ),
  decomposed: (path) => path.replace(/%C3%A9/gi, 'e%CC%81'),
  composed: (path) => path.replace(/e%CC%81/gi, '%C3%A9'),
  'raw non-ASCII': (path) => path.replace(/%C3%A9/gi, '\xc3\xa9'),
  'dots and spaces at end of part': atSlash((random) => ['./', '%20/', '.%20./', '%2e/'][random.below(4)] ?? ''),
  'dot at end': atEnd('.', '%20', '..', '::$DATA', '.%00', '~'),
};

export const trickNames = Object.keys(tricks);

/** A spelling of a path by one to three tricks, and which they were. */
export function spell(path: string, random: Random): { target: string; by: string[] } {
  let target = path;
  const by: string[] = [];
  for (let count = 1 + random.below(3); count > 0; count--) {
    const name = trickNames[random.below(trickNames.length)] ?? '';
    target = tricks[name]?.(target, random) ?? target;
    by.push(name);
  }
  return { target, by };
}
