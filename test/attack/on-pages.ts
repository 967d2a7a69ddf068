import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { createServer, request as ask, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { brotliCompressSync, deflateSync, gzipSync } from 'node:zlib';
import { parse } from 'parse5';
import { guardListener } from '../../src/adapters/node.js';
import { cutPage } from '../../src/core/sections/cut.js';
import { elementsIn } from '../../src/core/sections/tree.js';
import { NestedTooDeeply } from '../../src/core/sections/watching-parser.js';
import { browserTree } from '../support/browser-tree.js';
import { launch, skipBrowser } from '../support/browser.js';
import { testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';
import { seededRandom, type Random } from '../support/random.js';
import { canariesIn, soup } from '../support/soup.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';

/** A page as the application sends it. */
interface SentPage {
  readonly body: Buffer;
  readonly headers: Readonly<Record<string, string>>;
  readonly status: number;
}

const html = 'text/html; charset=utf-8';
const types = [
  html,
  html,
  html,
  'text/html',
  'text/html; charset=windows-1252',
  'text/html; charset=euc-kr',
  'text/html; charset=iso-2022-jp',
  'text/html; charset=utf-16le',
  'text/html; charset=no-such',
  'application/xhtml+xml',
  'text/xml',
  'text/plain',
  'application/octet-stream',
  '',
];
const codings: Readonly<Record<string, (body: Buffer) => Buffer>> = {
  gzip: gzipSync,
  br: brotliCompressSync,
  deflate: deflateSync,
  // The next is said and not done; the last is known to no program.
  'gzip, br': (body) => body,
  zstd: (body) => body,
};
const ranges = ['bytes=0-1', 'bytes=0-1,40-2000', 'bytes=-300', 'bytes=5-'];

/** The page in an encoding that has its letters, and coded now and then. */
function sentPage(text: string, random: Random): SentPage {
  const one = <T>(list: readonly T[]) => list[random.below(list.length)] as T;
  const type = random.below(2) === 0 ? html : one(types);
  const body = Buffer.from(text, type.includes('utf-16') ? 'utf16le' : 'utf8');
  const headers = type === '' ? {} : { 'content-type': type };
  const status = random.below(8) === 0 ? one([404, 500, 301, 203]) : 200;
  const coding = random.below(6) === 0 ? one(Object.keys(codings)) : undefined;
  if (coding === undefined) return { body, headers, status };
  const coded = codings[coding]?.(body) ?? body;
  return { body: coded, headers: { ...headers, 'content-encoding': coding }, status };
}

/** An application that answers ranges of a page as servers of files do. */
const application =
  (page: (url: string) => SentPage): RequestListener =>
  (request, response) => {
    const { body, headers, status } = page(request.url ?? '');
    const [, from, to] = /^bytes=(\d*)-(\d*)$/.exec(request.headers.range ?? '') ?? [];
    if (from === undefined || to === undefined || status !== 200) {
      response.writeHead(status, headers).end(body);
      return;
    }
    const start = from === '' ? Math.max(0, body.length - Number(to)) : Number(from);
    const end = from === '' || to === '' ? body.length : Math.min(body.length, Number(to) + 1);
    const range = `bytes ${start}-${end - 1}/${body.length}`;
    response.writeHead(206, { ...headers, 'content-range': range }).end(body.subarray(start, end));
  };

const whole = (url: string, headers: Readonly<Record<string, string>>): Promise<{ status: number; body: Buffer }> =>
  new Promise((resolve, reject) => {
    ask(url, { headers }, (response) => {
      const chunks: Buffer[] = [];
      response.on('data', (chunk: Buffer) => chunks.push(chunk));
      response.on('end', () => {
        resolve({ status: response.statusCode ?? 0, body: Buffer.concat(chunks) });
      });
      response.on('error', reject);
    })
      .on('error', reject)
      .end();
  });

/**
 * The guard before an application; the application alone at the same addresses beneath `/open`; and a
 * page of the same origin to load both in.
 */
async function serverOf(page: (url: string) => SentPage) {
  const policy = await testPolicy({
    walk: { covers: ['/named#locked'], passwords: { ww: 'plover-kettle' } },
  });
  const { guard } = await testGuard(policy);
  const bare = application(page);
  // What nobody gave a type may be a page to a browser, and the guard takes it for one.
  const typed = application((url) => {
    const { headers, ...rest } = page(url);
    return { ...rest, headers: { 'content-type': 'text/html', ...headers } };
  });
  const guarded = guardListener(guard, bare);
  const server = createServer((request, response) => {
    if (request.url === '/blank') response.writeHead(200, { 'content-type': html }).end('<!doctype html>');
    else if (request.url?.startsWith('/open/') === true) typed(request, response);
    else guarded(request, response);
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const browser = skipBrowser === false ? await launch() : undefined;
  const blank = await browser?.newPage();
  await blank?.goto(`${url}/blank`);
  const close = async () => {
    await browser?.close();
    server.closeAllConnections();
    server.close();
  };
  return { url, blank, close };
}

/** What a cut is proven by must not matter, but for the time that it takes. */
function differsByProof(text: string): boolean {
  const cuts = {
    ids: new Map([['locked', { lock: 'walk', kind: 'ask' as const }]]),
    marks: new Map([['walk', { lock: 'walk', kind: 'ask' as const }]]),
  };
  const made = (isReadAgain: boolean) => {
    try {
      return cutPage(text, cuts, { unlock: '/u', script: '/s' }, undefined, undefined, isReadAgain);
    } catch (error) {
      if (error instanceof NestedTooDeeply) return 'too-deep';
      throw error;
    }
  };
  return JSON.stringify(made(false)) !== JSON.stringify(made(true));
}

/**
 * Random and hostile pages with a section, in all encodings, codings, types and states, and parts of
 * them, through the guard; compared with what Chromium makes of them. Nothing of a section may be in
 * an answer, and a page that is cut must be the page before but for its section.
 */
export async function attackPages(limits: Limits): Promise<Attacked> {
  const name = 'pages';
  if (skipBrowser !== false) return { name, tried: 0, found: [], about: `skipped: ${skipBrowser}` };
  const random = seededRandom(limits.seed);
  let pages: HostilePage[] = [];
  const { url, blank, close } = await serverOf(
    (target) => pages[Number(/\?(\d+)/.exec(target)?.[1] ?? 0)]?.sent ?? nothing,
  );
  const found: string[] = [];
  const counts = { cut: 0, shut: 0 };
  let tried = 0;
  const load = async (one: HostilePage, path: string) =>
    blank === undefined || one.isForNobody ? undefined : browserTree(blank, path, one.isNamed);
  const attack = async (one: HostilePage) => {
    const { text, sent, path } = one;
    const fail = (what: string) =>
      found.push(`${what} ${JSON.stringify(sent.headers)} ${sent.status} ${path}: ${JSON.stringify(text)}`);
    if (differsByProof(text)) fail('cut without being read again, though it would not be');
    const [before, answer] = await Promise.all([load(one, `/open${path}`), whole(`${url}${path}`, {})]);
    const outside = new Set(before?.outside);
    const hidden = (before?.inside ?? (holdsSection(one) ? canariesIn(text) : [])).filter((word) => !outside.has(word));
    const leaks = (body: Buffer, of: string) => {
      const words = new Set(canariesIn(body.toString('latin1').replaceAll('\0', '')));
      const leak = hidden.find((word) => words.has(word));
      if (leak !== undefined && mayHold(one)) fail(`${leak} in ${of}`);
    };
    leaks(answer.body, 'the answer');
    for (const range of ranges) leaks((await whole(`${url}${path}`, { range })).body, range);
    const isCut = answer.body.includes('data-dorlin-section=');
    if (isCut) counts.cut++;
    else if (!answer.body.equals(sent.body)) counts.shut++;
    if (before === undefined || !isCut) return;
    const after = await load(one, path);
    if (after === undefined) fail('no page any more');
    else if (after.inside.some((word) => !outside.has(word)))
      fail(`a browser finds ${after.inside.join()} in a section`);
    else if (after.tree !== before.tree) fail(`${after.tree}\n    was ${before.tree}\n   `);
  };
  try {
    while (!isOver(limits, tried)) {
      pages = Array.from({ length: Math.min(atOnce, limits.most - tried) }, (_, at) => hostilePage(at, random));
      await Promise.all(pages.map(attack));
      tried += pages.length;
    }
  } finally {
    await close();
  }
  return { name, tried, found, about: `${counts.cut} cut, ${counts.shut} shut as a whole` };
}

/** How many pages a browser loads at once. */
const atOnce = 16;

const nothing: SentPage = { body: Buffer.alloc(0), headers: { 'content-type': html }, status: 200 };

interface HostilePage {
  readonly text: string;
  readonly sent: SentPage;
  readonly path: string;
  /** Whether its section is one that the policy names, too. */
  readonly isNamed: boolean;
  /** Whether no browser shows it. */
  readonly isForNobody: boolean;
}

function hostilePage(at: number, random: Random): HostilePage {
  const text = `${random.below(5) === 0 ? '' : '<!doctype html>'}${soup(random)}`;
  const sent = sentPage(text, random);
  const atNamed = random.chance();
  const { 'content-type': type = '', 'content-encoding': coding = '' } = sent.headers;
  const isForNobody = /octet/.test(type) || /zstd|,/.test(coding) || sent.status === 301;
  // An error may be the page of any address.
  const isNamed = atNamed || (sent.status >= 400 && /html|^$/.test(type));
  return { text, sent, path: `/${atNamed ? 'named' : 'other'}?${at}`, isNamed, isForNobody };
}

/** Whether anything in it looks like a section to somebody who cannot read it. */
const holdsSection = ({ text, isNamed }: HostilePage) => isNamed || /dorlin-lock/i.test(text);

/** Whether an answer is one that may hold sections: named ones do whatever it is, marks are for pages. */
const mayHold = ({ sent, isNamed }: HostilePage) =>
  sent.status !== 301 && (isNamed || /html|^$/.test(sent.headers['content-type'] ?? ''));

/** Pages of this machine, in these folders; those of the demo where there are no others. */
function documents(folders: readonly string[]): string[] {
  return folders
    .filter((folder) => existsSync(folder))
    .flatMap((folder) =>
      readdirSync(folder, { recursive: true, encoding: 'utf8' })
        .filter((name) => name.endsWith('.html'))
        .sort()
        .map((name) => join(folder, name)),
    );
}

/** Elements that hold no section: those of the head, and what newer browsers read otherwise. */
const without = /^(?:html|head|body|script|style|title|meta|link|base|select|option|optgroup)$/;

/**
 * Real pages, each with an element at random marked: what is cut is that element and nothing else, byte
 * for byte, and by Chromium's tree.
 */
export const attackDocuments =
  (folders: readonly string[]) =>
  async (limits: Limits): Promise<Attacked> => {
    const name = 'documents';
    const random = seededRandom(limits.seed);
    const files = documents(folders);
    let sent: SentPage = { body: Buffer.alloc(0), headers: { 'content-type': html }, status: 200 };
    const { url, blank, close } = await serverOf(() => sent);
    const found: string[] = [];
    let tried = 0;
    let shut = 0;
    try {
      while (files.length > 0 && !isOver(limits, tried)) {
        const [file = ''] = files.splice(random.below(files.length), 1);
        const source = readFileSync(file, 'utf8')
          .replace(/<script[^>]*>[^]*?<\/script>/gi, '')
          // A page has the one section that is put into it here.
          .replace(/\sdata-dorlin-lock="[^"]*"/g, '');
        const elements = elementsIn(parse(source, { sourceCodeLocationInfo: true })).filter(
          ({ tagName, sourceCodeLocation, attrs }) =>
            sourceCodeLocation?.startTag !== undefined &&
            !without.test(tagName) &&
            attrs.every(({ name: of }) => of !== 'id'),
        );
        const place = elements[random.below(elements.length)]?.sourceCodeLocation;
        if (!place?.startTag) continue;
        tried++;
        const tagEnd =
          place.startTag.startOffset + 1 + /^[^\s/>]+/.exec(source.slice(place.startOffset + 1))![0].length;
        const mark = ' data-dorlin-lock=walk';
        const marked = source.slice(0, tagEnd) + mark + source.slice(tagEnd);
        sent = { ...sent, body: Buffer.from(marked) };
        const path = `/documents?${tried}`;
        const answer = (await whole(url + path, {})).body.toString();
        if (!answer.includes('data-dorlin-section')) {
          shut++;
          continue;
        }
        const head = source.slice(0, place.startOffset);
        const rest = source.slice(place.endOffset);
        const at = answer.indexOf('<form data-dorlin-added', head.length);
        const isSame = answer.startsWith(head) && answer.slice(0, at < 0 ? undefined : at).endsWith(rest);
        if (!isSame)
          found.push(`${file}: changed outside of ${source.slice(place.startOffset, tagEnd)} at ${place.startOffset}`);
        if (blank === undefined) continue;
        const before = await browserTree(blank, `/open${path}`);
        const after = await browserTree(blank, path);
        if (before?.tree !== after?.tree) found.push(`${file}: another tree in Chromium, at ${place.startOffset}`);
      }
    } finally {
      await close();
    }
    return { name, tried, found, about: `${shut} shut as a whole` };
  };
