import assert from 'node:assert/strict';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { after, before, describe, test } from 'node:test';
import { brotliCompressSync, gunzipSync, gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { guardListener } from '../../src/adapters/node.js';
import { decide } from '../../src/core/decide.js';
import { policyText, testPolicy } from '../support/policies.js';
import { runSite } from '../support/sites.js';
import { testGuard } from '../support/guards.js';

const locks = {
  members: { covers: ['/members/'], passwords: { mm: 'owl' }, remember: '1 day' },
  walk: { covers: ['/events#walk'], passwords: { ww: 'stones' } },
};
const origin = 'https://k.example';
const paths = ['/about', '/members/', '/members/log', '/events#walk'];
const loc = (path: string) => `<url><loc>${origin}${path}</loc></url>`;
const sitemap = `<?xml version="1.0"?>\n<urlset>${paths.map(loc).join('\n')}</urlset>\n`;
const item = (path: string) => `<item><title>${path}</title><link>${origin}${path}</link></item>`;
const feed = `<?xml version="1.0"?>\n<rss version="2.0"><channel>${paths.map(item).join('\n')}</channel></rss>`;
const foreign = ['members/', 'about']
  .map((path) => `<item><link>https://elsewhere.example/${path}</link></item>`)
  .join('');
const files = {
  'sitemap.xml': sitemap,
  'feed.xml': feed.replace('</channel>', `${foreign}</channel>`),
  'more/unnamed.xml': feed,
  'broken.xml': feed.replace('</rss>', ''),
  'open.xml': `<urlset>${loc('/about')}</urlset>`,
  'picture.svg': '<svg xmlns="http://www.w3.org/2000/svg"><a href="/members/"/></svg>',
  'lines.txt': paths.map((path) => `${origin}${path}\n`).join(''),
  'robots.txt': 'User-agent: *\nDisallow: /members/\n',
};
const site = { origin, sitemaps: ['/sitemap.xml', '/lines.txt'], feeds: ['/feed.xml'] };

describe('sitemaps and feeds of a folder of files', () => {
  let served: Awaited<ReturnType<typeof runSite>>;
  let cookie: string;
  before(async () => {
    served = await runSite(files, await policyText(locks, site));
    const answer = await fetch(`${served.url}/_dorlin/unlock`, {
      method: 'POST',
      redirect: 'manual',
      body: new URLSearchParams({ lock: 'members', password: 'owl', to: '/' }),
    });
    cookie = answer.headers
      .getSetCookie()
      .map((line) => line.split(';')[0])
      .join('; ');
  });
  after(() => served.close());
  const get = (path: string, headers: Record<string, string> = {}, method = 'GET') =>
    fetch(served.url + path, { headers, method });

  for (const path of ['/sitemap.xml', '/feed.xml', '/more/unnamed.xml', '/lines.txt']) {
    test(`${path}: without what is locked, and with what is open to a visitor`, async () => {
      // Twice, as it is known the second time.
      for (let turn = 0; turn < 2; turn++) {
        const public_ = await get(path);
        const text = await public_.text();
        assert.equal(public_.status, 200);
        assert.doesNotMatch(text, /k\.example\/members|#walk/);
        assert.match(text, /k\.example\/about/);
        assert.equal(public_.headers.get('cache-control'), 'private, no-store');
        assert.equal(public_.headers.get('etag'), null);
        assert.equal(public_.headers.get('content-length'), String(text.length));
        const inside = await get(path, { cookie });
        const full = await inside.text();
        assert.match(full, /k\.example\/members\/log/);
        assert.doesNotMatch(full, /#walk/);
        assert.equal(inside.headers.get('cache-control'), 'private, no-store');
      }
    });
  }

  test('an address with a locked path is left out whatever its host, as a site has names that its policy does not', async () => {
    const feed = await (await get('/feed.xml')).text();
    assert.doesNotMatch(feed, /elsewhere\.example\/members/);
    assert.match(feed, /elsewhere\.example\/about/);
  });

  test('parts, conditions and HEAD tell nothing of it', async () => {
    const part = await get('/sitemap.xml', { range: 'bytes=0-400' });
    assert.equal(part.status, 200);
    assert.doesNotMatch(await part.text(), /members/);
    const unnamed = await get('/more/unnamed.xml', { range: 'bytes=0-400' });
    assert.doesNotMatch(await unnamed.text(), /members/);
    const head = await get('/sitemap.xml', {}, 'HEAD');
    assert.equal(head.headers.get('content-length'), null);
    assert.equal(head.headers.get('etag'), null);
  });

  test('one that is broken is shut; one without a locked place, and robots.txt, are left alone', async () => {
    assert.equal((await get('/broken.xml')).status, 403);
    assert.ok(served.events.some((event) => event.type === 'failed' && event.message.includes('/broken.xml')));
    for (const path of ['/open.xml', '/picture.svg', '/robots.txt'] as const) {
      const answer = await get(path);
      assert.equal(await answer.text(), files[path.slice(1) as keyof typeof files], path);
      assert.notEqual(answer.headers.get('etag'), null);
    }
  });
});

test('packed sitemaps, and answers in any coding', async () => {
  const { guard } = await testGuard(await testPolicy(locks, site));
  const bodies: Record<string, [Record<string, string>, Buffer]> = {
    '/sitemap.xml.gz': [{ 'content-type': 'application/gzip' }, gzipSync(sitemap)],
    '/sitemap.xml': [{ 'content-type': 'text/xml', 'content-encoding': 'br' }, brotliCompressSync(sitemap)],
    '/a.xml.gz': [{ 'content-type': 'application/x-gzip' }, gzipSync(sitemap).subarray(0, 60)],
    '/b.xml': [{ 'content-type': 'application/xml; charset=utf-16le' }, Buffer.from(sitemap, 'utf16le')],
    '/feed.json': [
      { 'content-type': 'application/feed+json' },
      Buffer.from(
        JSON.stringify({
          version: 'https://jsonfeed.org/version/1',
          items: [{ id: `${origin}/members/` }, { id: `${origin}/about` }],
        }),
      ),
    ],
  };
  const server = createServer(
    guardListener(guard, (request, response) => {
      const [path = '', part] = (request.url ?? '').split('?');
      const [headers, body] = bodies[path] ?? [{}, Buffer.from('')];
      response.writeHead(part === undefined ? 200 : 206, headers);
      // In two pieces, as they come.
      response.write(body.subarray(0, 30));
      response.end(body.subarray(30));
    }),
  );
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  const get = async (path: string) => {
    const answer = await fetch(`http://127.0.0.1:${port}${path}`);
    return { status: answer.status, body: Buffer.from(await answer.arrayBuffer()) };
  };
  const packed = gunzipSync((await get('/sitemap.xml.gz')).body).toString();
  for (const text of [packed, (await get('/sitemap.xml')).body.toString(), (await get('/feed.json')).body.toString()]) {
    assert.doesNotMatch(text, /members/);
    assert.match(text, /about/);
  }
  assert.equal((await get('/a.xml.gz')).status, 403, 'cut off');
  assert.equal((await get('/b.xml')).status, 403, 'in another encoding');
  // A part of a packed one can be unpacked, and of a feed be read.
  for (const path of ['/sitemap.xml.gz', '/feed.json', '/sitemap.xml']) {
    assert.equal((await get(`${path}?part`)).status, 403, path);
  }
  server.close();
});

test('under random policies no sitemap names a locked place', async () => {
  const names = ['a', 'b', 'c'];
  const all = names.flatMap((one) => [
    `/${one}`,
    ...names.map((other) => `/${one}/${other}`),
    ...names.map((other) => `/${one}/x/${other}.pdf`),
  ]);
  const place = fc.constantFrom('/', '/**/*.pdf', ...all, ...names.map((one) => `/${one}/`));
  const random = fc.array(
    fc.record({ covers: fc.array(place, { minLength: 1, maxLength: 3 }), enabled: fc.boolean() }),
    { minLength: 1, maxLength: 3 },
  );
  await fc.assert(
    fc.asyncProperty(random, async (written) => {
      const policy = await testPolicy(Object.fromEntries(written.map((lock, at) => [`l${at}`, lock])), {
        sitemaps: ['/map.xml'],
      });
      const world = await testGuard(policy);
      const verdict = await world.browser().get('/map.xml');
      if (verdict.kind !== 'open') return;
      const text = `<urlset>${all.map(loc).join('')}</urlset>`;
      const filtered = await verdict.page?.filter({
        status: 200,
        contentType: 'text/xml',
        body: new TextEncoder().encode(text),
      });
      const left = filtered?.kind === 'changed' ? new TextDecoder().decode(filtered.body) : text;
      const { now } = world;
      const open = all.filter((target) => decide(policy, { target, passes: [], now }).kind === 'open');
      assert.deepEqual(
        [...left.matchAll(/example([^<]+)/g)].map(([, path]) => path),
        open,
      );
    }),
    { numRuns: 150, seed: Number(process.env['SEED'] ?? 9) },
  );
});
