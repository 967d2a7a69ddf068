import { createServer, request, type IncomingHttpHeaders, type IncomingMessage } from 'node:http';
import type { AddressInfo } from 'node:net';
import { gzipSync } from 'node:zlib';
import sharp from 'sharp';
import { guardListener } from '../../src/adapters/node.js';
import { entryToken } from '../../src/core/passes/entry-link.js';
import { deriveKeys } from '../../src/core/passes/keys.js';
import { testGuard, testSecret } from './guards.js';
import { testPolicy } from './policies.js';
import { seededRandom } from './random.js';

/** What is wrong with the site, each by a name of its own; `none` of them mends all. */
export type Flaws = (name: string) => boolean;

const vocabulary =
  'amber anvil barley beacon bramble bridge candle cedar cellar chalk copper cradle crest curlew ' +
  'dapple drift ember fallow fathom feather fennel flint furrow gable garnet glimmer granite grove ' +
  'hamlet harbor harvest hazel heather hollow ivory juniper kettle lantern larch linen lintel marble ' +
  'meadow mirror nettle oatmeal orchard osprey paddle pebble pewter plover quarry quill raven ribbon ' +
  'rowan saddle saffron shingle shutter sickle silver sorrel sparrow spindle teasel thicket thimble ' +
  'thistle timber tinder tumble velvet walnut weaver wicket willow winter yarrow';

/** Sentences that no other page has: made of words by chance, the same at every call. */
export function prose(about: string, sentences: number): string[] {
  let seed = 7;
  for (const letter of about) seed = (seed * 31 + letter.charCodeAt(0)) % 2_147_483_647;
  const random = seededRandom(seed);
  const words = vocabulary.split(' ');
  const word = () => words[random.below(words.length)] ?? '';
  return Array.from({ length: sentences }, () => {
    const said = Array.from({ length: 12 }, word).join(' ');
    return `${said.charAt(0).toUpperCase()}${said.slice(1)}.`;
  });
}

const origin = 'https://flawed.example';
const first = (about: string) => prose(about, 6)[0] ?? '';
/** A sentence of the log for each flaw that repeats one. */
const ofLog = (flaw: string) => {
  const sentences = prose('/members/log', logLength);
  return sentences[wordFlaws.indexOf(flaw)] ?? sentences[0] ?? '';
};
const wordFlaws =
  'description teaser json-ld card comment hidden-part attribute page-data page-data-file data-file script source-map packed style feed-words'.split(
    ' ',
  );
const logLength = 20;

function page(about: string, { head = '', body = '' } = {}): string {
  const text = prose(about, about === '/members/log' ? logLength : 6)
    .map((sentence) => `<p>${sentence}</p>`)
    .join('\n');
  return `<!doctype html><html lang="en"><head><title>${about}</title>${head}<link rel="stylesheet" href="/assets/site.css"></head>
<body><nav><a href="/">Start</a> <a href="/about">About</a> <a href="/news">News</a> <a href="/visit">Visit</a> <a href="/contact">Contact</a> <a href="/archive">Archive</a> <a href="/talks">Talks</a> <a href="/search">Search</a></nav>
<p class="motto">This motto stands on every page of the site, whoever may read the page itself or not.</p>
<main><h1>${about}</h1>${text}${body}</main>
<footer>All pages of this site end with the same long line of small print at their foot.</footer>
<script src="/assets/app.js"></script></body></html>`;
}

/** Locked places, each for flaws that must not get into each other's way. */
const rooms = ['hut', 'barn', 'loft', 'vault', 'cellar', 'attic', 'shed', 'ledger', 'minutes'];

const locks = {
  members: { covers: ['/members/'], passwords: { All: 'open-members' }, remember: '30 days' },
  letter: { covers: ['/letter'], passwords: { All: 'open-letter' }, remember: '30 days' },
  walk: { covers: ['/events#meeting', '/talks#room'], passwords: { All: 'open-walk' }, remember: '30 days' },
  desk: {
    covers: ['/desk/'],
    passwords: { All: 'open-desk' },
    basic: true,
    links: [
      { id: 'press1', label: 'Press', until: '2099-01-01' },
      { id: 'over01', label: 'Over', until: '2020-01-01' },
    ],
  },
  tower: {
    covers: ['/tower/'],
    passwords: { All: 'open-tower' },
    basic: true,
    remember: '30 days',
    links: [{ id: 'tower1', label: 'Tower', until: '2099-01-01' }],
  },
  gate: { covers: ['/gate/'], passwords: { All: 'open-gate' }, basic: 'always' as const },
  board: { covers: ['/board/'], outsiders: 'not-found', bypass: ['trustee'] },
  idle: { covers: ['/idle/'], passwords: { All: 'open-idle' }, enabled: false },
  ...Object.fromEntries(
    rooms.map((room) => [
      room,
      { covers: [`/${room}/`], passwords: { All: `open-${room}` }, remember: '30 days', bypass: ['office'] },
    ]),
  ),
};

export const flawedPolicy = () =>
  testPolicy(
    locks,
    { name: 'Flawed', origin, sitemaps: ['/sitemap.xml'], feeds: ['/feed.xml'] },
    {
      bypasses: { trustee: { roles: ['trustee'] }, office: { addresses: ['203.0.113.9'] } },
      guessing: { perVisitor: '1000 per hour', perLock: '1000 per hour' },
    },
  );

type Files = Map<string, { readonly type: string; readonly body: Buffer }>;

const types: Readonly<Record<string, string>> = {
  json: 'application/json',
  js: 'text/javascript',
  css: 'text/css',
  xml: 'application/xml',
  txt: 'text/plain',
  csv: 'text/csv',
  ics: 'text/calendar',
  map: 'application/json',
  png: 'image/png',
  jpg: 'image/jpeg',
  pdf: 'application/pdf',
  bak: 'text/plain',
  data: 'application/octet-stream',
  gz: 'application/gzip',
};

/** The files of the site. Locked texts that leak are in files that are open. */
async function filesOf(has: Flaws): Promise<Files> {
  const files: Files = new Map();
  const put = (path: string, body: string | Buffer) => {
    const type = types[/\.(\w+)$/.exec(path)?.[1] ?? ''] ?? 'text/html; charset=utf-8';
    files.set(path, { type, body: Buffer.from(body) });
  };
  const said = (flaw: string) => (has(flaw) ? ofLog(flaw) : 'Nothing but what everybody may read.');
  const log = '/members/log';
  put('/', page('/'));
  put(
    '/about',
    page('/about', {
      head: `<meta name="description" content="${said('description')}">`,
      body: `<a href="/hours">Hours</a>${has('hidden-named') ? '<a href="/board/">Board</a>' : ''}`,
    }),
  );
  put('/hours', page('/hours'));
  put(
    '/news',
    page('/news', {
      body: `<p>${said('teaser')}</p>`,
      head: `<script type="application/ld+json">{"@type":"Article","description":"${said('json-ld')}"}</script>`,
    }),
  );
  put(
    '/visit',
    page('/visit', {
      head: `<meta property="og:description" content="${said('card')}"><meta property="og:image" content="${origin}/pictures/card.jpg">`,
    }),
  );
  put(
    '/contact',
    page('/contact', {
      body: `<!-- ${said('comment')} --><template><p>${said('hidden-part')}</p></template><b title="${said('attribute')}">i</b>`,
    }),
  );
  put(
    '/archive',
    page('/archive', {
      body: `<script>window.__DATA__ = {"text": ${JSON.stringify(said('page-data'))}};</script><a href="/idle/">Idle</a>`,
    }),
  );
  put(
    '/search',
    page('/search', {
      body: '<script>fetch("/search.json").then(show); fetch("/terms.js"); fetch("/page-data/log.json"); load("/assets/packed.js")</script><a href="/calendar.ics">Dates</a> <a href="/sitemap.xml">Map</a> <a href="/feed.xml">Feed</a> <a href="/downloads/leaflet.pdf">Leaflet</a>',
    }),
  );
  const section = (id: string) => `<section id="${id}"><p>${first(`meeting ${id}`)}</p></section>`;
  put('/events', page('/events', { body: section('meeting') }));
  put('/talks', page('/talks', { body: `${section('room')}<a href="/events">Events</a>` }));

  const open = ['/', '/about', '/news', '/visit'];
  const listed = has('search-index') ? [...open, log] : open;
  put('/search.json', JSON.stringify(listed.map((path) => ({ path, text: prose(path, 6).join('\\u0020') }))));
  const terms = new Set(
    (has('terms') ? ['/', log, '/members/words'] : ['/']).flatMap(
      (path) => prose(path, 6).join(' ').toLowerCase().match(/\w+/g) ?? [],
    ),
  );
  const rare = has('terms') ? rareWords : [];
  put(
    '/terms.js',
    `index(${JSON.stringify({ terms: Object.fromEntries([...terms, ...rare].map((term, at) => [term, at])) })})`,
  );
  const paths = ['/', '/about', '/news'];
  put(
    '/sitemap.xml',
    `<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">${paths.map((path) => `<url><loc>${origin}${path}</loc></url>`).join('')}${has('sitemap') ? `<url><loc>${origin}${log}</loc></url>` : ''}</urlset>`,
  );
  const item = (path: string, text: string) =>
    `<item><title>${path}</title><link>${origin}${path}</link><description>${text}</description></item>`;
  put(
    '/feed.xml',
    `<rss version="2.0"><channel><title>News</title><link>${origin}/</link>${item('/news', first('/news'))}${has('feed-words') ? item('/about', ofLog('feed-words')) : ''}${has('feed-names') ? item('/letter', 'A letter') : ''}</channel></rss>`,
  );
  put('/robots.txt', `User-agent: *\nDisallow: ${has('robots') ? '/members/' : '/tmp/'}\n`);
  put(
    '/page-data/log.json',
    JSON.stringify({ result: { html: `<p>${said('page-data-file').replace(' ', '\\u0020')}</p>` } }),
  );
  put('/calendar.ics', `BEGIN:VCALENDAR\nDESCRIPTION:${said('data-file')}\nEND:VCALENDAR\n`);
  put('/assets/late.css', `p::after { content: '${has('behind-prompt') ? first('/gate/deep') : 'late'}'; }`);
  put('/assets/app.js', `const texts = [${JSON.stringify(said('script'))}];\n`);
  put(
    '/assets/app.js.map',
    JSON.stringify({ version: 3, sourcesContent: [`export const log = '${said('source-map')}';`] }),
  );
  put(
    '/assets/packed.js',
    `const packed = "${Buffer.from(`${said('packed')} ${'.'.repeat(80)}`).toString('base64')}";`,
  );
  put(
    '/assets/site.css',
    `main::after { content: '${said('style')}'; } body { background: url("/pictures/back.png"); } @import "late.css";`,
  );

  const picture = await drawing(1);
  put('/pictures/back.png', await drawing(2));
  put(
    '/pictures/card.jpg',
    has('picture-copy') ? await sharp(picture).resize(180).jpeg({ quality: 60 }).toBuffer() : await drawing(3),
  );
  put('/members/plan.png', picture);
  const handbook = Buffer.concat([Buffer.from('%PDF-1.4\n'), Buffer.from(prose('handbook', 9).join(' '))]);
  put('/members/handbook.pdf', handbook);
  put(
    '/downloads/leaflet.pdf',
    has('file-copy')
      ? handbook
      : '%PDF-1.4 a leaflet for everybody who comes by, with nothing in it but this one line of text',
  );
  const beside = has('file-beside') ? '/pictures/beside.png' : '/members/beside.png';
  put(beside, await drawing(4));
  put('/beside', page('/beside'));
  const more = `<img src="/members/plan.png" srcset="${beside} 2x"><a href="/members/handbook.pdf">Handbook</a> <a href="/members/rows.csv">Rows</a> <a href="/members/rota">Rota</a> <a href="/members/words">Words</a>${has('page-beside') ? '<a href="/beside">Beside</a>' : ''}`;
  put('/members/', page('/members/', { body: `<a href="${log}">Log</a>` }));
  put(log, page(log, { body: more }));
  put('/members/rota', page('/members/rota'));
  put('/members/words', page('/members/words', { body: `<p>${rareWords.join(' and ')}</p>` }));
  put('/members/rows.csv', prose('rows', 5).join('\n').replaceAll(' ', ','));
  put('/letter', page('/letter'));
  if (has('copy')) put('/letter.html.bak', page('/letter'));
  if (has('copy')) put('/letter.md.gz', gzipSync(prose('/letter', 6).join('\n\n')));
  if (has('companion')) put('/letter.data', JSON.stringify({ nodes: [{ data: prose('/letter', 6).join(' ') }] }));
  for (const room of ['gate', 'desk', 'tower', 'board', 'idle', ...rooms]) {
    put(`/${room}/`, page(`/${room}/`, { body: `<a href="/${room}/deep">Deep</a>` }));
    put(`/${room}/deep`, page(`/${room}/deep`));
  }
  return files;
}

const rareWords =
  'abacination bombilate callithump defenestrator erinaceous flibbertigibbet gongoozler honorificable infundibular jentacular kakorrhaphia lalochezia'.split(
    ' ',
  );

/** A picture of its own: lines and blots by chance. */
async function drawing(seed: number): Promise<Buffer> {
  const random = seededRandom(seed * 7919);
  const shapes = Array.from(
    { length: 40 },
    () =>
      `<circle cx="${random.below(400)}" cy="${random.below(300)}" r="${10 + random.below(60)}" fill="rgb(${random.below(256)},${random.below(256)},${random.below(256)})"/>`,
  );
  return sharp(
    Buffer.from(
      `<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300"><rect width="400" height="300" fill="#fff"/>${shapes.join('')}</svg>`,
    ),
  )
    .png()
    .toBuffer();
}

/** What stands in front of the guard answers this instead of asking it, or changes what it says. */
type Front = (asked: {
  readonly path: string;
  readonly target: string;
  readonly method: string;
  readonly headers: IncomingHttpHeaders;
  readonly body: string;
  readonly has: Flaws;
}) => 'past the guard' | { readonly headers: IncomingHttpHeaders } | undefined;

const probed = '/members/';

const goesAround: Front = ({ path, target, method, headers, has }) => {
  const is = (flaw: string, matches: boolean) => has(flaw) && matches;
  const cookie = headers.cookie ?? '';
  const isAround =
    is('ledger-open', path === '/ledger/') ||
    is('child-open', path === '/barn/deep') ||
    is('section', path === '/talks') ||
    is('listings', path === '/feed.xml' || path === '/sitemap.xml') ||
    is('companion', path === '/letter.data') ||
    is('spelling', path !== path.toLowerCase() && path.toLowerCase() === probed) ||
    (path === probed &&
      (is('query', target.includes('print=1')) ||
        is('post', method === 'POST') ||
        is('range', headers.range !== undefined) ||
        is('conditional', headers['if-none-match'] === '*') ||
        is('search-engine', /Googlebot/.test(headers['user-agent'] ?? '')) ||
        is('feed-reader', /rss/.test(headers.accept ?? '')) ||
        is('host', headers.host === 'localhost') ||
        is('forged-address', headers['x-forwarded-for'] === '127.0.0.1') ||
        is('forged-identity', headers['x-roles']?.includes('admin') === true) ||
        is('forged-cookie', cookie.includes('dorlin-open=members')))) ||
    is('wrong-opens', path.startsWith('/hut/') && cookie.includes('typed=')) ||
    is('ended-opens', path.startsWith('/barn/') && cookie.includes('ended=')) ||
    is('other-guest', path.startsWith('/loft/') && cookie.includes('dorlin=')) ||
    is('forged-link', path.startsWith('/desk/') && cookie.includes('linked=')) ||
    is('wrong-basic', path.startsWith('/desk/') && /^Basic/.test(headers.authorization ?? ''));
  return isAround ? 'past the guard' : undefined;
};

/** A site with the flaws that are asked for, and none with none of them. */
export async function startFlawed(has: Flaws) {
  const files = await filesOf(has);
  const policy = await flawedPolicy();
  const { guard } = await testGuard(policy, { clock: () => Date.now() / 1000 });
  const serve = (path: string, { method = 'GET', headers }: Pick<IncomingMessage, 'method' | 'headers'>) => {
    const file = files.get(path);
    if (file === undefined)
      return {
        status: 404,
        headers: { 'content-type': 'text/html' } as Record<string, string>,
        body: Buffer.from(page('Nothing is here')),
      };
    const kept = { 'content-type': file.type, etag: `"${path.length}-${file.body.length}"` };
    if (method !== 'GET' && method !== 'HEAD' && method !== 'POST')
      return { status: 405, headers: {}, body: Buffer.from('') };
    if (headers['if-none-match'] === '*') return { status: 304, headers: kept, body: Buffer.from('') };
    const range = headers.range === undefined ? undefined : file.body.subarray(0, 100);
    return { status: range === undefined ? 200 : 206, headers: kept, body: range ?? file.body };
  };
  const inner = createServer(
    guardListener(guard, (asked, response) => {
      const { status, headers, body } = serve((asked.url ?? '/').split('?', 1)[0] ?? '/', asked);
      response.writeHead(status, headers).end(body);
    }),
  );
  const innerPort = await listening(inner);
  const cache = new Map<string, { status: number; headers: Record<string, string | string[]>; body: Buffer }>();
  const outer = createServer((asked, response) => {
    void (async () => {
      const { method = 'GET', url: target = '/' } = asked;
      const body = await textOf(asked);
      const rewritten = has('header') ? asked.headers['x-original-url'] : undefined;
      const path = (target.split('?', 1)[0] ?? '/').replace(/^https?:\/\/[^/]+/, '');
      const end = (status: number, headers: Record<string, string | string[]>, sent: Buffer | string) =>
        response.writeHead(status, headers).end(method === 'HEAD' ? undefined : sent);
      if (path === '/' && typeof rewritten === 'string' && files.has(rewritten)) {
        const { status, headers, body: sent } = serve(rewritten, { method, headers: {} });
        end(status, headers, sent);
        return;
      }
      if (goesAround({ path, target, method, headers: asked.headers, body, has }) !== undefined) {
        const { status, headers, body: sent } = serve(path.toLowerCase(), asked);
        end(status, headers, sent);
        return;
      }
      const kept = cache.get(path);
      if (kept !== undefined && method === 'GET') {
        end(kept.status, { ...kept.headers, age: '9' }, kept.body);
        return;
      }
      const passedOn = { ...asked.headers };
      const isTower = path.startsWith('/tower/');
      if (has('no-basic') && isTower) delete passedOn.authorization;
      const answer = await through(innerPort, { method, target, headers: passedOn, body });
      changeAnswer(answer, { path, target, body, has });
      if (has('cached') && path === '/vault/deep' && answer.status === 200) cache.set(path, answer);
      end(answer.status, answer.headers, answer.body);
    })();
  });
  const port = await listening(outer);
  const keys = await deriveKeys(testSecret);
  const tokenOf = async (lock: string, at: number) => {
    const found = policy.locks.get(lock);
    const link = found?.links[at];
    if (found === undefined || link === undefined) throw new Error('no such link');
    return { lock, label: link.label, target: `/_dorlin/enter?link=${await entryToken(found, link, policy, keys)}` };
  };
  return {
    url: `http://127.0.0.1:${port}`,
    policy,
    keys: {
      passwords: new Map(
        [...policy.locks.keys()].filter((name) => name !== 'board').map((name) => [name, [`open-${name}`]]),
      ),
      endedPasswords: [{ lock: 'barn', password: 'ended-barn' }],
      links: [await tokenOf('desk', 0), await tokenOf('tower', 0)],
      deadLinks: [await tokenOf('desk', 1)],
      credentials: ['desk', 'tower', 'gate'].map((lock) => ({ lock, user: 'All', password: `open-${lock}` })),
    },
    close: () => {
      outer.close();
      inner.close();
      outer.closeAllConnections();
      inner.closeAllConnections();
    },
  };
}

interface Passed {
  status: number;
  headers: Record<string, string | string[]>;
  body: Buffer;
}

function changeAnswer(
  answer: Passed,
  { path, target, body, has }: { path: string; target: string; body: string; has: Flaws },
): void {
  const form = new URLSearchParams(body);
  const isUnlock = path === '/_dorlin/unlock';
  const isOf = (lock: string) => isUnlock && form.get('lock') === lock;
  const cookies = [answer.headers['set-cookie'] ?? []].flat();
  const add = (cookie: string) => {
    answer.headers['set-cookie'] = [...cookies, cookie];
  };
  if (has('screen-holds') && path === '/minutes/' && answer.status === 403) {
    answer.body = Buffer.concat([answer.body, Buffer.from(`<div hidden>${prose('/minutes/', 6).join(' ')}</div>`)]);
  }
  if (has('wrong-opens') && isOf('hut')) add('typed=1; Path=/');
  if (has('ended-opens') && isOf('barn') && form.get('password') === 'ended-barn') add('ended=1; Path=/');
  if (has('forged-link') && path === '/_dorlin/enter') add('linked=1; Path=/');
  if (has('link-out') && target.includes('link=tower')) {
    answer.status = 403;
    delete answer.headers['set-cookie'];
  }
  if (has('reopened') && isOf('desk')) answer.headers['set-cookie'] = cookies.map((line) => `${line}; Max-Age=9999`);
  if (has('returning-out') && isOf('shed'))
    answer.headers['set-cookie'] = cookies.map((line) => line.replace(/; Max-Age=\d+/i, ''));
  if (has('leave') && path === '/_dorlin/leave') delete answer.headers['set-cookie'];
  if (has('guest-out') && isOf('cellar')) delete answer.headers['set-cookie'];
  if (has('elsewhere') && isOf('attic') && answer.status === 303) answer.headers['location'] = '/';
  const isVault = path.startsWith('/vault/') && answer.status === 200;
  if (has('cacheable') && isVault) {
    answer.headers['cache-control'] = 'public, max-age=600';
    delete answer.headers['vary'];
  }
  if (has('cors') && isVault) {
    answer.headers['access-control-allow-origin'] = 'https://elsewhere.invalid';
    answer.headers['access-control-allow-credentials'] = 'true';
  }
  if (has('asked-again') && path === '/minutes/deep' && answer.status === 200) {
    answer.status = 403;
    answer.body = Buffer.from(
      '<form method="post" action="/_dorlin/unlock"><input type="password" name="password"><input type="hidden" name="lock" value="minutes"></form>',
    );
    answer.headers['content-type'] = 'text/html';
    answer.headers['cache-control'] = 'no-store';
  }
  if (has('open-closed') && path === '/hours') {
    answer.status = 403;
  }
  const isShed = path === '/shed/' && answer.status === 403;
  if (has('screen-kept') && isShed) answer.headers['cache-control'] = 'max-age=600';
  if (has('screen-indexed') && isShed) {
    answer.status = 200;
    delete answer.headers['x-robots-tag'];
  }
  if (has('unsaid') && isOf('shed') && answer.status === 403)
    answer.body = Buffer.from(answer.body.toString().replace(/<p class="error"[^>]*>.*?<\/p>\n/, ''));
  delete answer.headers['content-length'];
}

async function textOf(message: IncomingMessage): Promise<string> {
  const chunks: Buffer[] = [];
  for await (const chunk of message as AsyncIterable<Buffer>) chunks.push(chunk);
  return Buffer.concat(chunks).toString();
}

async function listening(server: ReturnType<typeof createServer>): Promise<number> {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return (server.address() as AddressInfo).port;
}

function through(
  port: number,
  { method, target, headers, body }: { method: string; target: string; headers: IncomingHttpHeaders; body: string },
): Promise<Passed> {
  return new Promise((resolve, reject) => {
    const call = request({
      port,
      host: '127.0.0.1',
      method,
      path: target,
      headers: { ...headers, 'accept-encoding': '' },
    });
    call.on('error', reject);
    call.on('response', (message) => {
      void (async () => {
        const chunks: Buffer[] = [];
        for await (const chunk of message as AsyncIterable<Buffer>) chunks.push(chunk);
        const kept = Object.entries(message.headers).filter(
          ([name]) => !/^(?:connection|keep-alive|transfer-encoding)$/.test(name),
        );
        resolve({
          status: message.statusCode ?? 0,
          headers: Object.fromEntries(kept) as Passed['headers'],
          body: Buffer.concat(chunks),
        });
      })();
    });
    call.end(body);
  });
}
