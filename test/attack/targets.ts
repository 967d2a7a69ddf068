import { targetOf } from '../../src/server/site-files.js';
import type { Random } from '../support/random.js';
import { spell } from '../support/spellings.js';

const pick = <T>(of: readonly T[], random: Random): T => of[random.below(of.length)] as T;

/** Pieces that some reader of addresses takes for something. */
const pieces = [
  '/',
  '//',
  '/./',
  '/../',
  '/..',
  '\\',
  '%2f',
  '%2F',
  '%5c',
  '%252f',
  '%c0%af',
  '%00',
  '%0a',
  '%09',
  '.',
  '..',
  '...',
  '%2e',
  '%2e%2e',
  ';',
  ';/',
  ';x',
  '%3b',
  '?',
  '%3f',
  '#',
  '%23',
  ':',
  ':$DATA',
  '::$DATA',
  ':$i30:$INDEX_ALLOCATION',
  '@',
  '+',
  '%20',
  '%2b',
  ' ',
  '\t',
  '~',
  '~1',
  '*',
  '%',
  '%%',
  '%u0041',
  '&',
  '=',
  '|',
  'index.html',
  'index',
  '.html',
  '.HTML',
  '.php/x',
  '.py/x',
  'x/../',
  '%ef%bc%8f',
  '%e2%80%8b',
  '%c2%ad',
  '%ef%bd%8d',
  '%c4%b0',
  '%c4%b1',
  '%c5%bf',
  '%ce%a3',
  '%cf%82',
  '%cf%83',
  '%cc%81',
  '%cd%be',
  '%e1%ba%9e',
  'SS',
  '%c3%9f',
  '%ef%bc%8e',
  '%e2%80%a6',
  'http:',
  'https://',
  '\x01',
  '\x7f',
  '\xe9',
  '\xc3\xa9',
  '[',
  ']',
  '{',
  '}',
  '"',
] as const;

/** What may stand before the path in absolute-form, and what only looks like it. */
const starts = [
  'http://site.example',
  'HTTP://SITE.EXAMPLE',
  'https://site.example',
  'http://site.example:80',
  'http://site.example:99999',
  'http://',
  'http:///',
  'http:////',
  'https:///',
  'http:/',
  'http:',
  'http:\\\\',
  'ftp://x',
  'file://',
  'javascript:',
  'http://x@site.example',
  'http://site.example@x',
  'http://[',
  'http://[::1]',
  'http://[::1',
  'http://a%',
  'http://%6dembers',
  'http://%2fmembers',
  'http://members',
  'http://x#',
  'http://x?',
  'http://x\\',
  'http://x;',
  'http://x:',
  'http://.',
  'http://..',
  'http://x/..',
  '//',
  '///',
  '//x',
  '//x:80',
  '/\\x',
  '//members',
  'x',
  '*',
  '@',
  '.',
  '..',
  ' ',
  '?',
  '#',
  '%2f',
  '\\',
] as const;

/** Splits a path so that its first parts come to stand where a host would. */
const inHost = (path: string, random: Random): string => {
  const scheme = pick(['http:/', 'https:/', 'http:', 'http:/%2f', '/', ''], random);
  return scheme + path;
};

const insert = (target: string, piece: string, random: Random): string => {
  const at = random.below(target.length + 1);
  return target.slice(0, at) + piece + target.slice(at + (random.chance() ? 0 : 1));
};

const letterForms: readonly ((letter: string) => string)[] = [
  (letter) => letter.toUpperCase(),
  (letter) => letter.toLowerCase(),
  (letter) => letter.normalize('NFD'),
  (letter) => letter.normalize('NFC'),
  (letter) => letter.replace(/i/i, 'İ'),
  (letter) => letter.replace(/i/i, 'ı'),
  (letter) => letter.replace(/s/i, 'ſ'),
  (letter) => letter.replace(/[σς]/, 'Σ'),
  (letter) => letter.replace(/[σς]/, 'ς'),
  (letter) => letter.replace(/ß/, 'ẞ'),
  (letter) => letter.replace(/ß/, 'ss'),
  (letter) => letter.replace(/k/i, 'K'),
];

/** A path with some letters in another form of theirs. */
function otherLetters(path: string, random: Random): string {
  let text: string;
  try {
    text = decodeURIComponent(path);
  } catch {
    return path;
  }
  const form = pick(letterForms, random);
  const changed = Array.from(text, (letter) => (random.chance() ? form(letter) : letter)).join('');
  return changed.split('/').map(encodeURIComponent).join('/');
}

/** One hostile request target that may reach one of these files, from this seed's sequence. */
export function hostileTarget(names: readonly string[], random: Random): string {
  const path = targetOf(`/${pick(names, random)}`);
  let target = random.below(3) === 0 ? otherLetters(path, random) : path;
  if (random.below(4) === 0) target = target.replace(/\.(html|pdf|csv|py)$/, '');
  const rounds = random.below(4);
  for (let round = 0; round < rounds; round++) {
    const kind = random.below(5);
    if (kind < 2) target = spell(target, random).target;
    else if (kind < 4) target = insert(target, pick(pieces, random), random);
    else target = target + pick(pieces, random) + pick(['', 'x', '/x', '/join', '.css', path], random);
  }
  const end = random.below(8);
  if (end === 0) target = pick(starts, random) + target;
  else if (end === 1) target = inHost(target, random);
  else if (end === 2) target = `/about?${target}`;
  return target.slice(0, 6000);
}

/** What some runtimes take for the beginning of an address, as they put the header before the target. */
const afterHost = [
  '',
  '/',
  '\\',
  '?',
  '#',
  '@',
  ':',
  ':80',
  ':x',
  '.',
  '/..',
  '%2f',
  '%5c',
  '\t',
  ' ',
  '[',
  ';',
  '//',
  '\\\\',
];

/** The line or lines `Host` of a request, as no browser sends them. */
export function hostileHost(names: readonly string[], random: Random): string {
  const name = pick(names, random);
  const path = name.replaceAll('/', pick(['/', '\\', '%2f'], random)).replace(/\.html$/, pick(['', '.html'], random));
  const host = pick(['site.example', '', 'k', 'u@site.example', '[::1]', '127.0.0.1', 'http://site.example'], random);
  const joint = pick(afterHost, random);
  const end = pick(['', '?', '?x', '#', '/', '\\', ':80'], random);
  const value = pick([`${host}${joint}${path}${end}`, `${host}${joint}`, `${host}${joint}/${path}${end}`], random);
  const line = `host: ${value.replace(/[^\x20-\x7e\t]/g, '')}\r\n`;
  return pick([line, line, line, `${line}host: site.example\r\n`, `host: site.example\r\n${line}`, ''], random);
}
