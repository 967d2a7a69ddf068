/** The parts of an address that was read: decoded, folded, without empty parts. */
export type Parts = readonly string[];

/** One way in which a program sends the content of a page or a file from another address. */
export interface CompanionKind {
  /** Its name in reasons and findings. */
  readonly name: string;
  /** Who sends it, and where its addresses are described. */
  readonly source: string;
  /** The pages or files whose content is sent; each as parts. Empty if the address is not of this kind; `too-many` if it can be read in too many ways. */
  readonly pagesOf?: (parts: Parts) => readonly Parts[] | 'too-many';
  /** Whether the address sends whatever file its query names. */
  readonly isByQuery?: (parts: Parts) => boolean;
  /** Addresses that send the content of a page (a path with a leading slash, without an ending); for probes. */
  readonly samplesOf: (path: string) => readonly string[];
}

const none: readonly Parts[] = [];

/** The page that a last part names, by a pattern whose first group is the name of the page; empty for its folder. */
const byName =
  (...patterns: readonly RegExp[]) =>
  (parts: Parts): readonly Parts[] => {
    const last = parts.at(-1) ?? '';
    for (const pattern of patterns) {
      const found = pattern.exec(last);
      if (found === null) continue;
      const [, name = ''] = found;
      return [[...parts.slice(0, -1), ...(name === '' ? [] : [name])]];
    }
    return none;
  };

/** The page whose path follows a folder, with what is before that folder and without it (a site in a folder). */
function behind(parts: Parts, folder: Parts, skipped: number): readonly Parts[] {
  const at = parts.findIndex((_, index) => folder.every((name, offset) => parts[index + offset] === name));
  if (at < 0 || parts.length <= at + folder.length + skipped) return none;
  const rest = parts.slice(at + folder.length + skipped);
  return at === 0 ? [rest] : [rest, [...parts.slice(0, at), ...rest]];
}

const isRoot = (path: string) => path === '/';
const inFolder = (path: string, name: string) => (isRoot(path) ? `/${name}` : `${path}/${name}`);
const named = (path: string, root: string) => (isRoot(path) ? `/${root}` : path);
const endsWith = (parts: Parts, ...end: readonly string[]) =>
  parts.length >= end.length && end.every((name, at) => parts[parts.length - end.length + at] === name);

/** Page data of an export: `index.json` stands for the start page. */
const withoutEnding = (name: string) => name.replace(/\.json$/, '');

/** More underscores than these in a name of VitePress are not tried as slashes. */
export const mostUnderscores = 6;

/** A name of VitePress, in which an underscore may be a slash: every way to read it. */
function slashesIn(name: string): readonly Parts[] | 'too-many' {
  const pieces = name.split('_');
  if (pieces.length > mostUnderscores + 1) return 'too-many';
  let ways: string[][] = [[pieces[0] ?? '']];
  for (const piece of pieces.slice(1)) {
    ways = ways.flatMap((way) => [
      [...way, piece],
      [...way.slice(0, -1), `${way.at(-1) ?? ''}_${piece}`],
    ]);
  }
  return ways.map((way) => way.filter((part) => part !== ''));
}

const vitePressName = /^(.+)\.md\.[\w-]+(?:\.lean)?\.js$/;

/**
 * The one table of companions. A new framework, or a new address of an old one, is one entry and its line in
 * the test.
 */
export const companionKinds: readonly CompanionKind[] = [
  {
    name: 'sveltekit',
    source: 'SvelteKit 1 to 3: data of a page’s `load`, and its route',
    pagesOf: byName(/^(.*)__(?:data\.json|route\.js)$/),
    samplesOf: (path) => [inFolder(path, '__data.json'), `${named(path, 'index')}.html__data.json`],
  },
  {
    name: 'react-router',
    source: 'React Router 7 and 8, Remix 2: single fetch, server components',
    pagesOf: byName(/^(?:_root|_|)\.(?:data|rsc|manifest)$/, /^(.+)\.(?:data|rsc|manifest)$/),
    samplesOf: (path) => [`${named(path, '_root')}.data`, inFolder(path, '_.data'), inFolder(path, '.data')],
  },
  {
    name: 'next',
    source: 'Next 13 to 16: flight data of a static export and of its segments',
    pagesOf: (parts) => {
      const at = parts.findIndex((part) => /.\.segments$/.test(part));
      if (at >= 0) return [[...parts.slice(0, at), (parts[at] ?? '').slice(0, -'.segments'.length)]];
      return byName(/^()__next\..+\.txt$/, /^(.+)\.txt$/)(parts);
    },
    samplesOf: (path) => [
      `${named(path, 'index')}.txt`,
      inFolder(path, '__next._full.txt'),
      `${named(path, 'index')}.segments/_tree.segment.rsc`,
    ],
  },
  {
    name: 'next-data',
    source: 'Next 9 to 16 with the pages router: `/_next/data/BUILD/PAGE.json`, with or without a language first',
    pagesOf: (parts) =>
      behind(parts, ['_next', 'data'], 1).flatMap((page) => {
        const bare = [...page.slice(0, -1), withoutEnding(page.at(-1) ?? '')];
        return [bare, bare.slice(1)];
      }),
    samplesOf: (path) => [`/_next/data/build/${named(path, 'index').slice(1).replace(/^$/, 'index')}.json`],
  },
  {
    name: 'nuxt',
    source: 'Nuxt 3 and 4: payload of a page',
    pagesOf: byName(/^()_payload\.(?:json|js)$/),
    samplesOf: (path) => [inFolder(path, '_payload.json')],
  },
  {
    name: 'gatsby',
    source: 'Gatsby 2 to 5: `/page-data/PAGE/page-data.json`',
    pagesOf: (parts) => (endsWith(parts, 'page-data.json') ? behind(parts.slice(0, -1), ['page-data'], 0) : none),
    samplesOf: (path) => [`/page-data/${named(path, 'index').slice(1)}/page-data.json`],
  },
  {
    name: 'qwik',
    source: 'Qwik City 1 and 2: data of a page’s loaders',
    pagesOf: byName(/^()q-data\.json$/),
    samplesOf: (path) => [inFolder(path, 'q-data.json')],
  },
  {
    name: 'vitepress',
    source: 'VitePress 1 and 2: `/assets/FOLDER_PAGE.md.HASH.js` and its `.lean.js`',
    pagesOf: (parts) => {
      const name = vitePressName.exec(parts.at(-1) ?? '')?.[1];
      if (name === undefined) return none;
      const ways = slashesIn(name);
      const base = parts.slice(0, -2);
      if (ways === 'too-many') return ways;
      return base.length === 0 ? ways : [...ways, ...ways.map((way) => [...base, ...way])];
    },
    samplesOf: (path) => {
      const name = named(path, 'index').slice(1).replaceAll('/', '_');
      return [`/assets/${name}.md.Bq0x7kfa.js`, `/assets/${name}.md.Bq0x7kfa.lean.js`];
    },
  },
  {
    name: 'image-optimizer',
    source: 'Next, Astro, Vercel, Netlify: a picture whose address is in the query',
    isByQuery: (parts) =>
      endsWith(parts, '_image') ||
      endsWith(parts, '_next', 'image') ||
      endsWith(parts, '_vercel', 'image') ||
      endsWith(parts, '.netlify', 'images'),
    samplesOf: (path) => [
      `/_next/image?url=${encodeURIComponent(path)}&w=64&q=75`,
      `/_next/image?url=${encodeURIComponent(encodeURIComponent(path))}&w=64&q=75`,
      `/_image?href=${encodeURIComponent(path)}&f=png`,
    ],
  },
  {
    name: 'image-path',
    source: 'Nuxt Image and ipx, Cloudflare: a picture whose address follows how it is to be changed',
    pagesOf: (parts) =>
      [...behind(parts, ['_ipx'], 1), ...behind(parts, ['cdn-cgi', 'image'], 1)].map((file) =>
        /^https?:$/.test(file[0] ?? '') ? file.slice(2) : file,
      ),
    samplesOf: (path) => [`/_ipx/_${path}`, `/_ipx/w_64${path}`, `/cdn-cgi/image/width=64${path}`],
  },
  {
    name: 'format',
    source: 'Frameworks and generators that send a page in another format by its ending: JSON, XML, Markdown, a feed',
    pagesOf: byName(/^(.+)\.(?:json|jsonld|xml|md|markdown|mdx|txt|rss|atom|amp)$/),
    samplesOf: (path) => [`${named(path, 'index')}.json`, `${named(path, 'index')}.md`],
  },
  {
    name: 'packed',
    source: 'Files that were packed beforehand and that a web server sends in place of the others (`gzip_static`)',
    pagesOf: byName(/^(.+)\.(?:gz|br|zst|zz|deflate)$/),
    samplesOf: (path) => ['gz', 'br', 'zst'].map((end) => `${named(path, 'index')}.html.${end}`),
  },
  {
    name: 'source-map',
    source: 'Source maps, which hold the file that they are of',
    pagesOf: byName(/^(.+)\.map$/),
    samplesOf: (path) => [`${named(path, 'index')}.map`],
  },
];

/** Endings that an address of a kind may have, to pass by nearly all others quickly. */
export const companionEndings: ReadonlySet<string> = new Set(
  'data rsc manifest txt json jsonld js xml md markdown mdx rss atom amp gz br zst zz deflate map'.split(' '),
);
