import { policyText } from '../support/policies.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { seededRandom, type Random } from '../support/random.js';
import { spell } from '../support/spellings.js';
import { testGuard } from '../support/guards.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';

const locked = ['/members', '/members/log', '/dinner', '/a/b/secret', '/events'];
const open = ['/about', '/press/news', '/dinner-menu', '/member'];
const picture = '/members/map.png';

/** How frameworks find the page that they send the data of: written from what they do, not from our table. */
const resolvers: readonly ((path: string, query: URLSearchParams) => string | undefined)[] = [
  (path) => /^(.*)\/__data\.json$/.exec(path)?.[1],
  (path) => /^(.*)\.html__data\.json$/.exec(path)?.[1],
  (path) => /^(.*?)(?:\/_|\/)?\.data$/.exec(path)?.[1],
  (path) => /^(.*?)\.(?:txt|rsc)$/.exec(path)?.[1],
  (path) => /^(.*)\/__next\.[^/]*\.txt$/.exec(path)?.[1],
  (path) => /^(.*)\.segments\/.*\.segment\.rsc$/.exec(path)?.[1],
  (path) => /^\/_next\/data\/[^/]+(\/.*)\.json$/.exec(path)?.[1],
  (path) => /^(.*)\/_payload\.(?:json|js)$/.exec(path)?.[1],
  (path) => /^\/page-data(\/.*)\/page-data\.json$/.exec(path)?.[1],
  (path) => /^(.*)\.html\.(?:gz|br|zst)$/.exec(path)?.[1],
  (path) => {
    const name = /^\/assets\/(.+)\.md\.[\w-]+(?:\.lean)?\.js$/.exec(path)?.[1];
    return name === undefined ? undefined : `/${name.replaceAll('_', '/')}`;
  },
  (path, query) => {
    const named = path === '/_next/image' ? query.get('url') : path === '/_image' ? query.get('href') : undefined;
    if (typeof named !== 'string') return undefined;
    // Some decode it once more.
    const twice = named.includes('%') ? decodeURIComponent(named) : named;
    return new URL(twice, 'http://x').pathname;
  },
  (path) => /^\/_ipx\/[^/]+(\/.*)$/.exec(path)?.[1],
];

/** An address of the data of a page, or of a picture made of another, as somebody would write it to get around a lock. */
function companionTarget(random: Random): string {
  const one = <T>(list: readonly T[]) => list[random.below(list.length)] as T;
  const page = one(random.below(5) === 0 ? open : locked);
  const odd = (text: string) => (random.below(3) === 0 ? spell(text, random).target : text);
  const encoded = (text: string) =>
    Array.from(text)
      .map((letter) =>
        random.below(3) === 0
          ? encodeURIComponent(letter).replace(letter, `%${letter.charCodeAt(0).toString(16)}`)
          : letter,
      )
      .join('');
  const dots = (text: string) => one([text, `/x/..${text}`, `/.${text}`, text.replace('/', '//')]);
  const file = encodeURIComponent(one([picture, dots(picture), encoded(picture), `http://site.example${picture}`]));
  const bare = page.slice(1);
  const query = random.below(4) === 0 ? one(['?x=1', '?', '?url=/about']) : '';
  if (random.below(4) === 0)
    return one([`/_next/image?url=${file}&w=64`, `/_image?href=${file}`, `/_next/image?w=9&url=/a.png&url=${file}`]);
  const address = odd(
    one([
      `${page}/__data.json`,
      `${page}.html__data.json`,
      `${page}.data`,
      `${page}/_.data`,
      `${page}/.data`,
      `${page}.txt`,
      `${page}.rsc`,
      `${page}/__next._full.txt`,
      `${page}.segments/_tree.segment.rsc`,
      `/_next/data/b1${page}.json`,
      `${page}/_payload.json`,
      `${page}/_payload.js`,
      `/page-data${page}/page-data.json`,
      `${page}.html.gz`,
      `${page}.html.br`,
      `/assets/${bare.replaceAll('/', '_')}.md.AbC_1-.js`,
      `/_ipx/w_64${picture}`,
    ]),
  );
  return address + query;
}

/** Data addresses of frameworks, before an application that sends what they name. */
export async function attackCompanions(limits: Limits): Promise<Attacked> {
  const random = seededRandom(limits.seed);
  const policy = readPolicyOrThrow(
    await policyText({
      members: { covers: ['/members/'], passwords: { aa: 'one' } },
      pages: { covers: ['/dinner', '/**/secret', '/events#night'], passwords: { bb: 'two' } },
    }),
    'attack',
  );
  const { guard } = await testGuard(policy);
  const found: string[] = [];
  let [tried, passed] = [0, 0];
  while (!isOver(limits, tried)) {
    const target = companionTarget(random);
    tried++;
    const visit = { method: 'GET', target, headers: { host: 'site.example' }, encrypted: false, address: '192.0.2.7' };
    const verdict = await guard.answer(visit);
    if (verdict.kind !== 'open') continue;
    passed++;
    const [rawPath = '', query = ''] = verdict.target.split('?');
    let path: string;
    try {
      path = decodeURIComponent(rawPath).replace(/\/+/g, '/');
    } catch {
      continue;
    }
    for (const resolve of resolvers) {
      let page: string | undefined;
      try {
        page = resolve(path, new URLSearchParams(query))?.toLowerCase();
      } catch {
        continue;
      }
      if (page === undefined) continue;
      if (locked.includes(page) || page === picture || page.startsWith('/members/'))
        found.push(`${JSON.stringify(target)} sends ${page}`);
    }
  }
  return { name: 'companions', tried, found, about: `${passed} were open` };
}
