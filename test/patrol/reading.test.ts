import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { addressesIn, type BodyKind } from '../../src/patrol/addresses.js';
import { partsOf, quotable } from '../../src/patrol/evidence.js';
import { factsOf } from '../../src/patrol/facts.js';
import { formsIn } from '../../src/patrol/forms.js';
import { makeJar } from '../../src/patrol/jar.js';
import { isAction, siteAddresses } from '../../src/patrol/site-addresses.js';
import { copiesOf, queriesOf, spellingsOf } from '../../src/patrol/spellings.js';
import { tellingSections, tellingWords } from '../../src/patrol/telling.js';
import { cutWords, eachWindow, saidIn } from '../../src/patrol/words.js';

const site = siteAddresses('http://127.0.0.1:4280', ['https://kestrelmoor.example']);
const sentence = 'Five members met the fox at the upper gate — at 21:30, after “first light”.';

/** Whether a text says the sentence, in whatever way it is written. */
function says(text: string, isHtml = false): boolean {
  const hashes = new Set<number>();
  eachWindow(cutWords(saidIn(text, isHtml)), (hash) => hashes.add(hash));
  let count = 0;
  let found = 0;
  eachWindow(cutWords(sentence), (hash) => {
    count++;
    if (hashes.has(hash)) found++;
  });
  return found === count;
}

describe('what is said', () => {
  test('is found in whatever way it is written', () => {
    const ascii = JSON.stringify(sentence).replace(
      /[^\x00-\x7f]/g,
      (letter) => `\\u${letter.charCodeAt(0).toString(16).padStart(4, '0')}`,
    );
    const entities = sentence.replace(/[^\x00-\x7f]/g, (letter) => `&#${letter.charCodeAt(0)};`);
    const written: [how: string, text: string, isHtml?: boolean][] = [
      ['as it is', sentence],
      ['in capitals', sentence.toUpperCase()],
      ['as JSON', ascii],
      ['with marks', sentence.replace('fox', '<b class="x y">fox</b>'), true],
      ['with entities', entities, true],
      ['in a comment', `<p>x</p><!-- ${sentence} -->`, true],
      ['in an attribute', `<a data-text="${sentence.replaceAll('“', '&ldquo;')}">x</a>`, true],
      ['as HTML in JSON', JSON.stringify({ html: `<p>${entities}</p>` }).replaceAll('<', '\\u003c')],
      ['packed', `x="${Buffer.from(sentence.repeat(3)).toString('base64')}"`],
      [
        'in a map',
        `//# sourceMappingURL=data:application/json;base64,${Buffer.from(JSON.stringify({ sourcesContent: [sentence, 'x'.repeat(90)] })).toString('base64')}`,
      ],
    ];
    for (const [how, text, isHtml] of written) assert.ok(says(text, isHtml), how);
    assert.ok(!says(sentence.replace('fox', 'hare')));
    assert.ok(!says(`<a title="${sentence.slice(0, 30)}" class="${sentence.slice(30)}">x</a>`, true));
  });

  test('has words in every script, and ideographs one by one', () => {
    const counts: [text: string, words: number][] = [
      ['', 0],
      ['Ångström naïve École', 3],
      ['наблюдение за звёздами', 3],
      ['観測所の夜', 5],
      ['مرصد النجوم', 2],
      ['don’t, o’clock; x-ray', 6],
    ];
    for (const [text, words] of counts) assert.equal(cutWords(text).length, words, text);
    assert.deepEqual(cutWords('ÉCOLE'), cutWords('école'));
    const { words, quote } = quotable('The  meeting\npoint: the lay-by.');
    assert.equal(quote(1, 3), 'meeting point: the');
    assert.equal(words.length, 6);
  });

  test('never fails, whatever the text', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 300 }), fc.boolean(), (text, isHtml) => {
        const places: number[] = [];
        const words = cutWords(saidIn(text, isHtml), places);
        assert.equal(places.length, words.length * 2);
      }),
    );
  });

  test('that is a page’s own leaves out what stands on all of them', () => {
    const frame = (inner: string) =>
      `<body><header>Our site and its long motto</header><nav>Menu of many words here</nav>${inner}<footer>Small print at the foot of all</footer></body>`;
    const own = cutWords(`${sentence} ${sentence} ${sentence}`);
    const three = `<p>${sentence}</p>`.repeat(3);
    for (const inner of [
      `<main>${three}</main>`,
      `<article><header>${three}</header></article>`,
      `<div>${three}</div>`,
    ]) {
      const { words } = tellingWords(frame(inner));
      assert.deepEqual(
        words.filter((word) => word !== 0),
        own,
        inner,
      );
    }
    const page = '<p id="a">one</p><p id="b">two</p><p data-dorlin-lock="walk">three</p>';
    assert.deepEqual(tellingSections(page, { ids: ['b'], mark: 'walk' }), cutWords('two\u0001three'));
  });

  test('is named by the part of the page it stands in', () => {
    const html = `<head><meta name="description" content="in the description"><meta property="og:title" content="in the card"><script type="application/ld+json">{"a":"in the data"}</script><style>a{content:"in the style"}</style></head><body><p>on the page</p><!-- in the comment --><div hidden>in the hidden</div><img alt="in the attribute"><script>self.__next_f.push([1,"in the framework"])</script><script>show("in the script")</script></body>`;
    const named = Object.fromEntries(
      partsOf(html, 'page', '/').map(({ code, text }) => [code, text.replace(/[^a-z]+/gi, ' ').trim()]),
    );
    assert.equal(named['words-in-description'], 'in the description');
    assert.equal(named['words-in-preview-card'], 'in the card');
    assert.equal(named['words-in-json-ld'], 'a in the data');
    assert.equal(named['words-in-comment'], 'in the comment');
    assert.equal(named['words-in-hidden-part'], 'in the hidden');
    assert.equal(named['words-in-attribute'], 'in the attribute');
    assert.equal(named['words-on-open-page'], 'on the page');
    assert.match(named['words-in-page-data'] ?? '', /in the framework/);
    assert.match(named['words-in-script'] ?? '', /in the script/);
    const files: [target: string, kind: BodyKind, text: string, code: string][] = [
      ['/assets/app.js', 'script', 'x', 'words-in-script'],
      ['/assets/app.js.map', 'data', '{}', 'words-in-source-map'],
      ['/lunr-index.json', 'data', '{}', 'words-in-search-index'],
      ['/_next/data/x/log.json', 'data', '{}', 'words-in-page-data'],
      ['/dates.ics', 'text', 'x', 'words-in-data-file'],
    ];
    for (const [target, kind, text, code] of files) assert.equal(partsOf(text, kind, target)[0]?.code, code);
  });
});

describe('addresses', () => {
  const found = (kind: BodyKind, text: string, target = '/a/b') =>
    addressesIn({ text, kind, target, headers: {} }, site);

  test('are found wherever they stand', () => {
    const cases: [kind: BodyKind, text: string, targets: string[]][] = [
      ['page', '<a href="c?x=1&amp;y=2#z">', ['/a/c?x=1&y=2']],
      ['page', '<img srcset="/1.png 1x, /2.png 2x" src=3.png>', ['/a/3.png', '/1.png', '/2.png']],
      ['page', '<video poster=\'p.jpg\'><source data-src="v.mp4"></video>', ['/a/p.jpg', '/a/v.mp4']],
      ['page', '<base href="/up/"><a href="x">', ['/up/', '/up/x']],
      ['page', '<head><meta http-equiv="refresh" content="0; url=/new"></head>', ['/new']],
      ['page', '<a href="https://kestrelmoor.example/log">', ['/log']],
      ['page', '<a href="https://elsewhere.example/"><a href="mailto:a@b"><a href="#top">', []],
      ['page', '<script>fetch("/data/rota.json"); a = "<a href=" + base + ">"</script>', ['/data/rota.json']],
      ['page', '<p style="background: url(&quot;x&quot;)">', ['/a/x']],
      ['style', '@import "more.css"; a { background: url(../pic.png) }', ['/a/more.css', '/pic.png']],
      [
        'script',
        'import("./chunk.js"); const a = `/api/${x}`; //# sourceMappingURL=b.js.map',
        ['/a/chunk.js', '/a/b.js.map'],
      ],
      ['data', '{"icons":[{"src":"icon.png"}],"url":"https:\\/\\/kestrelmoor.example\\/x"}', ['/a/icon.png', '/x']],
      ['listing', '<urlset><url><loc>https://kestrelmoor.example/q</loc></url></urlset>', ['/q']],
      ['listing', '<urlset><url><loc>/broken', []],
      ['robots', 'Disallow: /hidden/\nSitemap: https://kestrelmoor.example/s.xml', ['/s.xml', '/hidden/']],
      ['text', 'See https://kestrelmoor.example/t and [here](u.md).', ['/t', '/a/u.md']],
    ];
    for (const [kind, text, targets] of cases) assert.deepEqual(found(kind, text), targets, text);
  });

  test('that do something are not followed', () => {
    for (const target of ['/logout', '/account/sign-out?x', '/item/3/delete', '/_x/leave'])
      assert.ok(isAction(target), target);
    for (const target of ['/leaves', '/logbook', '/deleted-scenes/']) assert.ok(!isAction(target), target);
  });

  test('have other spellings, each once, and never the plain one', () => {
    for (const of of [spellingsOf, queriesOf, copiesOf]) {
      for (const target of ['/members/log', '/press/', '/downloads/wheel.pdf', '/7']) {
        const targets = of(target).map((one) => one.target);
        assert.equal(new Set(targets).size, targets.length);
        assert.ok(!targets.includes(target), target);
        assert.deepEqual(
          targets.filter((one) => !one.startsWith('/')),
          [],
        );
      }
    }
    assert.ok(spellingsOf('/members/log').length >= 40, 'there are many');
  });
});

describe('an answer', () => {
  const read = (
    body: string | Buffer,
    status = 200,
    headers: Record<string, string> = { 'content-type': 'text/html; charset=utf-8' },
    target = '/x',
  ) => factsOf(target, { status, headers, body: Buffer.from(body) }, site);
  const form =
    '<form method="post" action="/_dorlin/unlock"><input type="password" name="password"><input type="hidden" name="lock" value="members"></form>';

  test('is known for what it is', () => {
    assert.equal(read('a page').seen, 'let in');
    assert.equal(read(form, 403).seen, 'screen');
    assert.equal(read(form).seen, 'screen');
    assert.equal(read(form + `<p>${sentence}</p>`.repeat(30)).seen, 'let in');
    assert.equal(read('', 401, { 'www-authenticate': 'Basic realm="x"' }).seen, 'prompt');
    assert.equal(read('closed', 503).seen, 'closed');
    assert.equal(read('', 302, { location: '/y' }).location, '/y');
    assert.equal(read('', 500).seen, 'failed');
    assert.equal(read('', 400).seen, 'refused');
  });

  test('is read as what it is, whatever it is called', () => {
    const packed = read(gzipSync(sentence), 200, { 'content-type': 'application/gzip' }, '/x.txt.gz');
    assert.deepEqual([packed.kind, packed.words.length], ['text', cutWords(sentence).length]);
    assert.equal(read('<!doctype html><p>x', 200, {}).kind, 'page');
    assert.equal(read('{"a":1}', 200, { 'content-type': 'application/json' }).kind, 'data');
    assert.equal(read('<rss></rss>', 200, { 'content-type': 'text/xml' }).kind, 'listing');
    assert.equal(read(Buffer.from([137, 80, 78, 71, 0, 0]), 200, {}, '/x.png').kind, 'picture');
  });

  test('has forms for a password; those that ask for a name are somebody else’s', () => {
    assert.deepEqual(
      formsIn(form, '/x', site).map(({ lock, isForSection }) => [lock, isForSection]),
      [['members', false]],
    );
    assert.deepEqual(formsIn(form.replace('<input', '<input type="text" name="user"><input'), '/x', site), []);
    const apart =
      '<p data-dorlin-section="0"><input type="password" name="password" form="f"></p><form id="f" method="post" action="/_dorlin/unlock"><input type="hidden" name="lock" value="walk"></form>';
    assert.deepEqual(
      formsIn(apart, '/x', site).map(({ lock, isForSection }) => [lock, isForSection]),
      [['walk', true]],
    );
  });

  test('sets cookies, of which those for a visit go when the browser is closed', () => {
    const jar = makeJar();
    jar.keep(['a=1; Max-Age=60', 'b=2; HttpOnly', 'c=3; Expires=Thu, 01 Jan 2099 00:00:00 GMT']);
    assert.equal(jar.header(), 'a=1; b=2; c=3');
    assert.equal(jar.reopened().header(), 'a=1; c=3');
    const copy = jar.copy();
    copy.keep(['a=; Max-Age=0', 'c=; Expires=Thu, 01 Jan 1970 00:00:00 GMT']);
    assert.equal(copy.header(), 'b=2');
    assert.equal(jar.only((name) => name === 'c').header(), 'c=3');
  });
});
