import * as legacyUrl from 'node:url';
import type { Random } from '../support/random.js';

type Step = (path: string) => string;

// What programs out there still use is what is played here.
// eslint-disable-next-line @typescript-eslint/no-deprecated
const legacy = legacyUrl.parse;

const quietly = (work: () => string, otherwise: string): string => {
  try {
    return work();
  } catch {
    return otherwise;
  }
};

/** How programs come from a request target to a path. */
const parsers: readonly Step[] = [
  (target) => target.split('?', 1)[0] ?? '',
  (target) => target.split(/[?#]/, 1)[0] ?? '',
  (target) => quietly(() => new URL(target, 'http://site.example').pathname, ''),
  (target) => quietly(() => new URL(`http://site.example${target}`).pathname, ''),
  // eslint-disable-next-line @typescript-eslint/no-deprecated
  (target) => quietly(() => legacy(target).pathname ?? '', ''),
  (target) => quietly(() => legacy(target, false, true).pathname ?? '', ''),
  (target) => (target.split('?', 1)[0] ?? '').replace(/^https?:\/\/[^/]*/i, ''),
];

const asBytes: Step = (path) =>
  path.replace(/%([0-9a-f]{2})/gi, (_, code: string) => String.fromCharCode(parseInt(code, 16)));

const decoders: readonly Step[] = [
  (path) => quietly(() => decodeURIComponent(path), ''),
  (path) => asBytes(path),
  (path) => Buffer.from(asBytes(path), 'latin1').toString('utf8'),
  (path) => quietly(() => decodeURIComponent(decodeURIComponent(path)), ''),
  (path) => path,
];

/** What some program or file system does besides, before it looks a file up. */
const steps: readonly Step[] = [
  (path) => path.replaceAll('\\', '/'),
  (path) => path.replace(/\/{2,}/g, '/'),
  (path) =>
    path
      .split('/')
      .map((part) => part.split(';', 1)[0] ?? '')
      .join('/'),
  (path) => path.split(';', 1)[0] ?? '',
  (path) => path.split('\0', 1)[0] ?? '',
  (path) => path.split(/[?#]/, 1)[0] ?? '',
  (path) => path.replaceAll('+', ' '),
  (path) =>
    path
      .split('/')
      .map((part) => part.trim())
      .join('/'),
  (path) =>
    path
      .split('/')
      .map((part) => part.replace(/(?<![. ])[. ]+$/, ''))
      .join('/'),
  (path) =>
    path
      .split('/')
      .map((part) => part.replace(/::?\$.*$/i, ''))
      .join('/'),
  (path) => path.normalize('NFC'),
  (path) => path.normalize('NFKC'),
  (path) => path.toLowerCase(),
  (path) => path.toUpperCase(),
  (path) => Array.from(path, (letter) => letter.toLowerCase()).join(''),
  (path) => path.replaceAll('İ', 'i').replaceAll('ı', 'i').replaceAll('ſ', 's').replaceAll('K', 'k'),
  (path) => path.replace(/[\u00ad\u200b-\u200d\u2060\ufeff]/g, ''),
  (path) => resolveDots(path),
  (path) => path.replace(/^\/\/[^/]*/, ''),
  (path) => path.replace(/(\.[a-z]+)\/.*$/i, '$1'),
  (path) => path.replace(/\/+$/, ''),
  (path) => path.replace(/\/index(\.html)?\/?$/i, '/'),
];

function resolveDots(path: string): string {
  const kept: string[] = [];
  for (const part of path.split('/')) {
    if (part === '..') kept.pop();
    else if (part !== '.') kept.push(part);
  }
  return kept.join('/');
}

/** How a path and a file's name are compared. */
const likeness: readonly Step[] = [
  (path) => path,
  (path) => path.toLowerCase(),
  (path) => path.toUpperCase(),
  (path) => path.normalize('NFD').toLowerCase(),
  (path) => path.normalize('NFKD').toUpperCase(),
];

/**
 * The sloppiest reader of addresses: what may come of one when any of these programs stands behind
 * another. Of all the ways, some chosen by chance for each target.
 *
 * @returns the file that a target leads to, if any
 */
export function sloppyReader(names: readonly string[]) {
  const tables = likeness.map((like) => new Map(names.map((name) => [like(`/${name}`), name])));
  return (target: string, random: Random): string | undefined => {
    let path = parsers[random.below(parsers.length)]?.(target) ?? '';
    path = decoders[random.below(3) === 0 ? random.below(decoders.length) : 0]?.(path) ?? '';
    for (let count = random.below(5); count > 0; count--) {
      path = steps[random.below(steps.length)]?.(path) ?? path;
    }
    const at = random.below(likeness.length);
    const bare = path.replace(/\/+$/, '');
    const like = likeness[at] ?? ((text: string) => text);
    for (const candidate of [path, `${path}.html`, `${bare}/index.html`, `${bare}.html`]) {
      const found = tables[at]?.get(like(candidate));
      if (found !== undefined) return found;
    }
    return undefined;
  };
}
