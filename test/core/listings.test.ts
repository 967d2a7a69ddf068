import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { readListing } from '../../src/core/crawlers/listing.js';
import { bytesOf } from '../../src/core/letters.js';

const base = 'https://k.example/feeds/news.xml';
const isShut = (address: string) => new URL(address).pathname.startsWith('/shut');
const latin = (text: string) => Buffer.from(text, 'utf8').toString('latin1');
const without = (text: string, isNamed = true) => {
  const listing = readListing(latin(text), base, isNamed);
  if (typeof listing !== 'object') return listing;
  const letters = listing.without(isShut, 'https://k.example/');
  return letters === undefined ? 'unchanged' : Buffer.from(bytesOf(letters)).toString('utf8');
};
const xml = (text: string) => `<?xml version="1.0" encoding="UTF-8"?>\n${text}\n`;
const sitemap = (inner: string) => xml(`<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">${inner}</urlset>`);
const rss = (inner: string) => xml(`<rss version="2.0"><channel>${inner}</channel></rss>`);
const atom = (inner: string) => xml(`<feed xmlns="http://www.w3.org/2005/Atom">${inner}</feed>`);

describe('what is locked is left out of listings, and nothing else is', () => {
  const open = 'https://k.example/open';
  const shut = 'https://k.example/shut/a';
  // what, the listing, what is left of it
  const table: [string, string, string][] = [
    [
      'a sitemap',
      sitemap(`<url><loc>${open}</loc></url><url><loc>${shut}</loc></url>`),
      sitemap(`<url><loc>${open}</loc></url>`),
    ],
    [
      'a prefix',
      xml(`<s:urlset xmlns:s="x"><s:url><s:loc>${shut}</s:loc></s:url></s:urlset>`),
      xml('<s:urlset xmlns:s="x"></s:urlset>'),
    ],
    [
      'references and CDATA',
      sitemap(`<url><loc>https://k.example/&#115;hut/</loc></url><url><loc><![CDATA[${shut}]]></loc></url>`),
      sitemap(''),
    ],
    ['space around it', sitemap(`\n  <url>\n <loc>\n${shut}\n</loc></url>\n`), sitemap('\n')],
    ['another spelling', sitemap(`<url><loc>HTTPS://K.example:443/x/%2e%2e/shut/</loc></url>`), sitemap('')],
    ['another host', sitemap('<url><loc>http://old.example/shut/</loc></url>'), sitemap('')],
    [
      'pictures and translations of a page',
      sitemap(
        `<url><loc>${open}</loc><image:image><image:loc>${shut}</image:loc></image:image><xhtml:link rel="alternate" href="${shut}"/></url>`,
      ),
      sitemap(`<url><loc>${open}</loc></url>`),
    ],
    [
      'an index',
      xml(`<sitemapindex><sitemap><loc>${shut}</loc></sitemap><sitemap><loc>${open}</loc></sitemap></sitemapindex>`),
      xml(`<sitemapindex><sitemap><loc>${open}</loc></sitemap></sitemapindex>`),
    ],
    [
      'what is commented out',
      sitemap(`<!-- <url><loc>${shut}</loc></url> --><!-- ${open} --><!--/shut/-->`),
      sitemap(`<!-- ${open} -->`),
    ],
    [
      'a comment in an entry',
      atom('<entry><link href="/open"/><!-- <link href="/shut/a"/> --></entry>'),
      atom('<entry><link href="/open"/></entry>'),
    ],
    [
      'a comment before all',
      `<!-- ${shut} --><urlset><url><loc>/open</loc></url></urlset>`,
      '<urlset><url><loc>/open</loc></url></urlset>',
    ],
    ['a byte order mark', `\ufeff${sitemap(`<url><loc>${shut}</loc></url>`)}`, `\ufeff${sitemap('')}`],
    ['space before it', `\n ${sitemap(`<url><loc>${shut}</loc></url>`)}`, `\n ${sitemap('')}`],
    ['lines', `${open}\r\n${shut}\r\n`, `${open}\r\n`],
    [
      'RSS: by its link',
      rss(`<item><title>É</title><link>${shut}</link></item><item><link>${open}</link></item>`),
      rss(`<item><link>${open}</link></item>`),
    ],
    ['RSS: by its guid', rss(`<item><guid>${shut}</guid></item>`), rss('')],
    ['RSS: a guid that is none', rss('<item><guid isPermaLink="false">42</guid></item>'), 'unchanged'],
    ['RSS: a path', rss('<item><link>/shut/a</link></item>'), rss('')],
    [
      'RSS: an enclosure',
      rss(`<item><link>${open}</link><enclosure url="${shut}.mp3"/></item>`),
      rss(`<item><link>${open}</link></item>`),
    ],
    [
      'RSS: where it leads',
      rss(
        `<link>${shut}</link><atom:link rel="self" href="${shut}"/><image><url>${shut}.png</url><link>${open}</link></image>`,
      ),
      rss('<link>https://k.example/</link>'),
    ],
    [
      'RSS: its text stays',
      rss(`<item><link>${open}</link><description>See ${shut}</description></item>`),
      'unchanged',
    ],
    [
      'RSS 1.0',
      xml(`<rdf:RDF><item rdf:about="${shut}"><title>x</title></item><item rdf:about="${open}"/></rdf:RDF>`),
      xml(`<rdf:RDF><item rdf:about="${open}"/></rdf:RDF>`),
    ],
    ['RSS 1.0 of what is locked', xml(`<rdf:RDF><channel rdf:about="${shut}"/></rdf:RDF>`), ''],
    ['Atom: by its link', atom('<entry><link href="/shut/a"/><id>tag:1</id></entry>'), atom('')],
    ['Atom: by its id', atom(`<entry><id>${shut}</id></entry>`), atom('')],
    [
      'Atom: an enclosure',
      atom('<entry><link href="/open"/><link rel="enclosure" href="/shut/a"/></entry>'),
      atom('<entry><link href="/open"/></entry>'),
    ],
    [
      'Atom: where it is',
      atom(`<id>${shut}</id><link rel="self" href="/shut/a"/>`),
      atom('<id>https://k.example/</id>'),
    ],
    ['Atom: seen from a base', xml('<feed xml:base="/shut/"><entry><link href="a"/></entry></feed>'), ''],
    [
      'Atom: an entry of another base',
      atom('<entry xml:base="https://k.example/shut/"><link href="a"/></entry>'),
      atom(''),
    ],
    ['no listing', '<p>hello', 'broken'],
    ['a broken one', '<urlset><url><loc>/shut/a</url></urlset>', 'broken'],
    ['an entity of its own', '<!DOCTYPE x [<!ENTITY s "/shut/">]><urlset><url><loc>&s;</loc></url></urlset>', 'broken'],
  ];
  for (const [name, text, left] of table) {
    test(name, () => {
      assert.equal(without(text), left);
    });
  }

  test('a JSON Feed', () => {
    const feed = {
      version: 'https://jsonfeed.org/version/1.1',
      title: 'É',
      home_page_url: shut,
      items: [
        { id: '1', url: shut, title: 'gone' },
        { id: shut, title: 'gone' },
        {
          id: '3',
          url: '/open',
          image: '/shut/a.png',
          attachments: [{ url: shut }, { url: open }],
          content_html: `<a href="${shut}">`,
        },
      ],
    };
    assert.deepEqual(JSON.parse(String(without(JSON.stringify(feed)))), {
      version: 'https://jsonfeed.org/version/1.1',
      title: 'É',
      items: [{ id: '3', url: '/open', attachments: [{ url: open }], content_html: `<a href="${shut}">` }],
    });
  });

  test('what the policy does not name, and is none, is nothing to be read', () => {
    for (const text of ['<p>hello', '{"a":"/shut/"}', 'plain /shut/', '<svg><a href="/shut/"/></svg>']) {
      assert.equal(without(text, false), undefined);
    }
  });

  const part = fc.constantFrom('shut', 'open', 'a', 'b%20c', 'é');
  const path = fc.array(part, { minLength: 1, maxLength: 3 }).map((parts) => `/${parts.join('/')}`);
  const address = fc
    .tuple(fc.constantFrom('', 'https://k.example', 'HTTP://www.k.example'), path)
    .map(([host, rest]) => host + rest);
  const entryOf: Readonly<Record<string, (address: string, other: string) => string>> = {
    urlset: (one, other) => `<url>\n<loc>${one}</loc><image:image><image:loc>${other}</image:loc></image:image></url>`,
    rss: (one, other) =>
      `<item><title>t</title><link>${one}</link><media:group><media:content url='${other}'/></media:group></item>`,
    feed: (one, other) => `<entry><link href="${one}"/><link rel="related" href="${other}"/></entry>`,
  };

  test('no random listing names anything locked, and every open entry is in it', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...Object.keys(entryOf)),
        fc.array(fc.tuple(address, address), { maxLength: 8 }),
        (root, entries) => {
          const inner = entries.map(([one, other]) => entryOf[root]?.(one, other) ?? '').join('\n');
          const text = root === 'rss' ? rss(inner) : xml(`<${root}>${inner}</${root}>`);
          const result = String(without(text));
          const left = result === 'unchanged' ? text : result;
          const named = [...left.matchAll(/(?:https?:\/\/[^/"'<]+)?\/[^"'<\s>]+(?=["'<])/gi)];
          for (const [one] of named) {
            assert.ok(!isShut(new URL(one, base).href), one);
          }
          const open = entries.filter(([one]) => !isShut(new URL(one, base).href));
          const starts = left.match(/<(url|item|entry)>/g) ?? [];
          assert.equal(starts.length, open.length);
        },
      ),
      { numRuns: 500, seed: Number(process.env['SEED'] ?? 4) },
    );
  });
});

test('an entry goes with what it is about, however it says so', () => {
  const base = 'https://site.example/feed.xml';
  const left = (text: string) => {
    const listing = readListing(text, base, true);
    assert.ok(typeof listing === 'object');
    return listing.without((address) => address.endsWith('/locked'), 'https://site.example/');
  };
  const atom = (inside: string) =>
    `<feed xmlns="http://www.w3.org/2005/Atom"><title>Feed</title><id>urn:x</id><entry><title>SECRET</title><id>urn:y</id>${inside}</entry></feed>`;
  const address = 'https://site.example/locked';
  for (const inside of [
    `<link href="${address}"/>`,
    `<link rel="alternate" href="${address}"/>`,
    `<link rel="http://www.iana.org/assignments/relation/alternate" href="${address}"/>`,
    `<link rel="https://www.iana.org/assignments/link-relations/self" href="${address}"/>`,
    `<content type="text/html" src="${address}"/>`,
    `<content src="/locked"></content>`,
  ]) {
    assert.doesNotMatch(left(atom(inside)) ?? 'SECRET', /SECRET/, inside);
  }
  const related = left(atom(`<link rel="related" href="${address}"/>`));
  assert.match(related ?? '', /SECRET/, 'what it only mentions goes alone');
  for (const key of ['url', 'external_url', 'id']) {
    const feed = {
      version: 'https://jsonfeed.org/version/1.1',
      title: 'Feed',
      items: [{ id: '1', title: 'SECRET', [key]: address }],
    };
    assert.doesNotMatch(left(JSON.stringify(feed)) ?? 'SECRET', /SECRET/, key);
  }
});
