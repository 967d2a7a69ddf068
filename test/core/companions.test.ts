import assert from 'node:assert/strict';
import { test } from 'node:test';
import fc from 'fast-check';
import { companionSamples } from '../../src/core/companions/companions.js';
import { decide, type Reason } from '../../src/core/decide.js';
import { accessOfStranger } from '../../src/core/access.js';
import { testPolicy } from '../support/policies.js';

/** Addresses by which real applications send the content of a locked page or file. */
const sending: Readonly<Record<string, readonly string[]>> = {
  'a page in a locked folder': [
    '/members.data',
    '/members.txt',
    '/members.rsc',
    '/members.segments/_tree.segment.rsc',
    '/members.segments/members/__PAGE__.segment.rsc',
    '/_next/data/8f3a/members.json',
    '/_next/data/8f3a/en/members/log.json',
    '/docs/_next/data/8f3a/members/log.json',
    '/page-data/members/log/page-data.json',
    '/assets/members_log.md.D3kf_0a-.js',
    '/assets/members_log.md.D3kf_0a-.lean.js',
    '/assets/members_index.md.D3kf.js',
    '/docs/assets/members_log.md.D3kf.js',
    '/members.json',
    '/members.html.gz',
    '/members.data.br',
  ],
  'a locked page': [
    '/dinner/__data.json',
    '/dinner.html__data.json',
    '/dinner/__route.js',
    '/dinner.data',
    '/dinner/_.data',
    '/dinner/.data',
    '/dinner%2edata',
    '/DINNER.data',
    '/dinner.txt',
    '/dinner/__next._full.txt',
    '/dinner/__next.dinner.__PAGE__.txt',
    '/dinner/_payload.json',
    '/dinner/_payload.json?6f1c',
    '/dinner/_payload.js',
    '/dinner/q-data.json',
    '/dinner.html.gz',
    '/dinner.html.br',
    '/dinner.html.zst',
    '/dinner.md',
    '/dinner/index.json',
    '/assets/dinner.md.D3kf.js',
  ],
  'a page with a locked section': [
    '/events/__data.json',
    '/events.data',
    '/events.txt',
    '/events/__next.events.__PAGE__.txt',
    '/events/_payload.json',
    '/events.html.gz',
    '/assets/events.md.D3kf.js',
  ],
  'a locked picture': [
    '/_next/image?url=%2Fmembers%2Fmap.png&w=64&q=75',
    '/_next/image?url=%2F%256dembers%2Fmap.png&w=64',
    '/_next/image?url=/x/../members/map.png&w=64',
    '/_next/image?url=%2Fx%2F%2e%2e%2Fmembers%2Fmap.png',
    '/_next/image?url=%2Fx%2F%252e%252e%2Fmembers%2Fmap.png',
    '/_next/image?url=%2Fmembers%252Fmap.png',
    '/_next/image?url=/a.png&url=/members/map.png',
    '/_next/image?URL=%5Cmembers%5Cmap.png',
    '/_next/image?url=https%3A%2F%2Fexample.com%2Fmembers%2Fmap.png',
    '/_next/image/?url=%2Fmembers%2Fmap.png',
    '/docs/_next/image?url=%2Fmembers%2Fmap.png',
    '/_image?href=/members/map.png&f=png',
    '/_image?href=%2Fmembers%2Fmap.png%3ForigWidth%3D9&f=webp',
    '/_image?href=members/map.png',
    '/_vercel/image?url=%2Fmembers%2Fmap.png&w=64',
    '/.netlify/images?url=/members/map.png',
    '/_ipx/_/members/map.png',
    '/_ipx/w_200,f_webp/members/map.png',
    '/docs/_ipx/w_200/members/map.png',
    '/_ipx/_/https://example.com/members/map.png',
    '/cdn-cgi/image/width=80/members/map.png',
    '/members/map.png.br',
  ],
};

const policy = await testPolicy({
  members: { covers: ['/members/'] },
  supper: { covers: ['/dinner', '/events#night'] },
});

for (const [what, addresses] of Object.entries(sending)) {
  test(`an address that sends the content of ${what} is locked with it`, () => {
    for (const address of addresses) assert.equal(accessOfStranger(policy, address, 0).open, false, address);
  });
}

test('addresses that send the content of open pages stay open', () => {
  const open = [
    ...['/about.data', '/about/__data.json', '/_root.data', '/about.txt', '/robots.txt', '/_payload.json'],
    ...['/_next/image?url=%2Fpress%2Fmap.png&w=64', '/_next/image', '/_image?href=', '/assets/about.md.D3kf.js'],
    ...['/assets/index-D3kf.js', '/assets/index-D3kf.js.map', '/sitemap.xml.gz', '/__data.json', '/_ipx/_/press/a.png'],
  ];
  for (const address of open) assert.deepEqual(accessOfStranger(policy, address, 0), { open: true }, address);
});

test('what an address is tried with when the start page or the whole site is locked is locked too', async () => {
  const start = await testPolicy({ all: { covers: ['/index.html'] } });
  for (const { address } of companionSamples('/')) {
    // A picture has no start page, and the start page is no picture.
    if (!/image|_ipx/.test(address)) assert.equal(accessOfStranger(start, address, 0).open, false, address);
  }
});

test('every kind of companion locks what it says that it sends, whatever the page', () => {
  const name = fc.stringMatching(/^[a-z0-9][a-z0-9-]{0,8}$/);
  const path = fc.array(name, { minLength: 1, maxLength: 4 }).map((parts) => `/${parts.join('/')}`);
  return fc.assert(
    fc.asyncProperty(path, async (page) => {
      const one = await testPolicy({ one: { covers: [page] } });
      for (const { address, kind } of companionSamples(page)) {
        assert.equal(accessOfStranger(one, address, 0).open, false, `${kind}: ${address}`);
      }
    }),
    { numRuns: 60 },
  );
});

test('an exception for exactly an address holds for the content that only its ending tells apart', async () => {
  const all = await testPolicy({ all: { covers: ['/'], except: ['/robots.txt', '/**/*.rss', '/_next/', '/_image'] } });
  const is = (address: string) => accessOfStranger(all, address, 0).open;
  assert.equal(is('/robots.txt'), true);
  assert.equal(is('/blog/news.rss'), true);
  assert.equal(is('/robots.txt.gz'), false);
  assert.equal(is('/_next/static/app.css'), true);
  // What may be sent from there is not what the exception is for.
  assert.equal(is('/_next/image?url=%2Fmap.png&w=64'), false);
  assert.equal(is('/_next/data/b/secret.json'), false);
  assert.equal(is('/_image?href=/map.png'), false);
});

test('who has opened the page gets its data as well', () => {
  const because: Reason[] = [];
  decide(policy, { target: '/dinner/__data.json', passes: [], now: 0 }, because);
  const found = because.filter(({ code }) => code === 'companion');
  assert.deepEqual(found, [{ code: 'companion', kind: 'sveltekit', reading: '/dinner', locks: ['supper'] }]);
});

test('a query or a name that would be read in too many ways is refused', () => {
  for (const address of [
    `/assets/${'a_'.repeat(30)}b.md.D3kf.js`,
    '/x.gz.gz.gz.gz.gz.gz.gz',
    `/_next/image?${Array.from({ length: 2000 }, (_, at) => `url=%2F${at}`).join('&')}`,
    '/_next/image?url=%2Fmembers%25252Fmap.png',
  ]) {
    assert.equal(accessOfStranger(policy, address, 0).open, false, address);
  }
});
