import { companionSamples } from '../core/companions/companions.js';

/** Another way to write an address, which some server somewhere reads as the same. */
export interface Spelling {
  readonly name: string;
  readonly target: string;
}

const encoded = (letter: string) => `%${letter.charCodeAt(0).toString(16).padStart(2, '0')}`;

/** Changes the last letter of a path that is one. */
function atLetter(path: string, change: (letter: string) => string): string {
  const at = path.search(/[a-z](?![^/]*[a-z])(?=[^/]*\/?$)/i);
  return at < 0 ? path : path.slice(0, at) + change(path.charAt(at)) + path.slice(at + 1);
}

/** Changes the slash before the last part. */
function atSlash(path: string, put: string): string {
  const at = path.replace(/\/$/, '').lastIndexOf('/');
  const changed = path.slice(0, at) + put + path.slice(at + 1);
  return changed.startsWith('/') ? changed : `/${changed}`;
}

const ways: Readonly<Record<string, (path: string) => string | readonly string[]>> = {
  'upper case': (path) => path.toUpperCase(),
  'one letter in upper case': (path) => atLetter(path, (letter) => letter.toUpperCase()),
  'a letter percent-encoded': (path) => atLetter(path, encoded),
  'a letter percent-encoded twice': (path) => atLetter(path, (letter) => encoded(letter).replace('%', '%25')),
  'all letters percent-encoded': (path) => path.replace(/[a-z]/gi, encoded),
  'two slashes': (path) => atSlash(path, '//'),
  'two slashes at the start': (path) => `/${path}`,
  'an encoded slash': (path) => [atSlash(path, '%2f'), `/%2f${path.slice(1)}`],
  'a backslash': (path) => [atSlash(path, '\\'), atSlash(path, '%5c'), `/\\${path.slice(1)}`],
  'a dot segment': (path) => [atSlash(path, '/./'), atSlash(path, '/%2e/'), `/.${path}`],
  'there and back': (path) => [
    atSlash(path, '/x/../'),
    atSlash(path, '/x/%2e%2e/'),
    atSlash(path, '/..;/x/../'),
    `/x/..${path}`,
  ],
  'a slash at the end': (path) => (path.endsWith('/') ? path.slice(0, -1) : `${path}/`),
  'a dot at the end': (path) => [`${path}.`, `${path}/.`],
  'a space at the end': (path) => [`${path}%20`, `${path}%09`, `${path}%0a`],
  'a NUL at the end': (path) => [`${path}%00`, `${path}%00.html`],
  'the index file': (path) => `${path.replace(/\/$/, '')}/index.html`,
  'another ending': (path) => {
    const bare = path.replace(/\/$/, '').replace(/\.html?$/i, '');
    return [`${bare}.html`, `${bare}.HTML`, `${bare}.htm`, `${bare}.php`, bare];
  },
  'a path behind the file': (path) => [`${path.replace(/\/$/, '')}/x`, `${path.replace(/\/$/, '')}.html/x.css`],
  'a path parameter': (path) => [`${path};x=1`, `${path};.css`, atSlash(path, ';x/'), `${path}%3bx`],
  'an encoded question mark': (path) => [`${path}%3fx`, `${path}%23x`],
  'full-width letters': (path) =>
    atLetter(path, (letter) => encodeURIComponent(String.fromCharCode(letter.charCodeAt(0) + 0xfee0))),
  'an overlong letter': (path) => atLetter(path, (letter) => `%c1%${(letter.charCodeAt(0) | 0x80).toString(16)}`),
  'a soft hyphen': (path) => atLetter(path, (letter) => `${letter}%c2%ad`),
  'a stream name': (path) => [`${path}::$DATA`, `${path}:$i30:$INDEX_ALLOCATION`],
  'a broken encoding': (path) => [`${path}%`, `${path}%zz`],
};

/** Spellings of an address that a guard must read as it, or refuse. */
export function spellingsOf(target: string): Spelling[] {
  return spelled(target, ways);
}

/** Views of a page that some sites make by a query. */
export const queriesOf = (target: string): Spelling[] =>
  spelled(target, {
    'a view for printing': (path) => [`${path}?print=1`, `${path}?view=print`],
    'a preview': (path) => [`${path}?preview=true`, `${path}?draft=1`],
    'a data format': (path) => [`${path}?format=json`, `${path}?output=json`, `${path}?_data=1`],
    'an AMP page': (path) => `${path}?amp=1`,
    'a page for robots': (path) => `${path}?_escaped_fragment_=`,
    'any query': (path) => `${path}?`,
  });

/** Copies of a page that lie beside it on some servers. */
export const copiesOf = (target: string): Spelling[] =>
  spelled(target, {
    'a packed copy': (path) => each(path, ['.gz', '.br', '.zst', '.zip']),
    'an old copy': (path) => each(path, ['.bak', '.old', '.orig', '~', '.1', '.swp', '.save']),
    'its source': (path) => each(path, ['.md', '.txt', '.rst', '.adoc', '.mdx', '.src']),
    'its data': (path) => each(path, ['.json', '.xml', '.data', '.rsc', '.pdf', '.amp.html']),
    'its feed': (path) => [`${path.replace(/\/$/, '')}/feed/`, `${path.replace(/\/$/, '')}/index.xml`],
  });

/** Addresses by which web frameworks send the content of a page or, of a file, pictures made of it. */
export function companionsOf(target: string, isPage: boolean): Spelling[] {
  const path = pathOf(target);
  const bare = isPage ? path.replace(/(?:\/(?:index\.html?)?|\.html?)$/i, '') || '/' : path;
  return (
    companionSamples(bare)
      // Other formats and packed copies are among the copies.
      .filter(({ kind }) => isPage !== kind.startsWith('image-') && !/^(?:format|packed|source-map)$/.test(kind))
      .map(({ kind, address }) => ({ name: `an address of its content (${kind})`, target: address }))
  );
}

const pathOf = (target: string) => target.split('?', 1)[0] ?? '/';

/** Names beside a page: of itself, of its file, of the file in its folder. */
function each(path: string, endings: readonly string[]): string[] {
  const bare = path.replace(/\/$/, '').replace(/\.html?$/i, '');
  const names = /\.\w{2,4}$/.test(bare) ? [bare] : [bare, `${bare}.html`, `${bare}/index.html`, `${bare}/index`];
  return names.flatMap((name) => endings.map((ending) => name + ending));
}

function spelled(
  target: string,
  by: Readonly<Record<string, (path: string) => string | readonly string[]>>,
): Spelling[] {
  const path = pathOf(target);
  const seen = new Set([path]);
  return Object.entries(by).flatMap(([name, way]) =>
    [way(path)].flat().flatMap((one) => {
      if (seen.has(one)) return [];
      seen.add(one);
      return [{ name, target: one }];
    }),
  );
}
