import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { decodeHtml, pageLetters } from '../../src/core/sections/charset.js';
import { parse } from 'parse5';
import { marksIn, mayBeMarked } from '../../src/core/sections/marks.js';
import { cutPage, readPage, withTarget, type Cuts } from '../../src/core/sections/cut.js';
import { atOnce } from '../../src/core/steps.js';
import { isSameTreeSteps } from '../../src/core/sections/same-tree.js';
import { NestedTooDeeply, parseWatching } from '../../src/core/sections/watching-parser.js';
import { seededRandom } from '../support/random.js';
import { screenOf } from '../support/screens.js';
import { soup } from '../support/soup.js';
import type { Replacement } from '../../src/core/sections/replacement.js';

const addresses = { unlock: '/_dorlin/unlock', script: '/_dorlin/page.js' };
const by = (replacement: Partial<Replacement> = {}): Replacement => ({
  lock: 'walk',
  kind: 'ask',
  ...replacement,
});
const cuts: Cuts = { ids: new Map([['x', by()]]), marks: new Map([['walk', by()]]) };
const page = (body: string) => `<!doctype html><html lang="en"><title>T</title><body>${body}`;
/** A whole page as it is cut, for an address. */
const cutWhole = (text: string, what: Cuts = cuts, target = '/here') => {
  const made = cutPage(text, what, addresses);
  return typeof made === 'string' ? undefined : withTarget(made, target);
};
const cut = (body: string, what: Cuts = cuts, target?: string) => cutWhole(page(body), what, target);

describe('nothing of a section is left, and everything else is', () => {
  // what, the page; SECRET is to go, PUBLIC to stay
  const table: [string, string][] = [
    ['an element', '<p>PUBLIC<section id=x>SECRET<img src=SECRET></section>PUBLIC'],
    ['its attributes', '<div id=x title=SECRET data-a=SECRET style="background:url(SECRET)">SECRET</div>PUBLIC'],
    ['comments in it', '<div id=x><!--SECRET--></div><!--PUBLIC-->'],
    ['a mark', '<div data-dorlin-lock=walk>SECRET</div>PUBLIC'],
    ['a mark in capitals', '<DIV DATA-DORLIN-LOCK=walk>SECRET</DIV>PUBLIC'],
    ['an id in references', '<div id="&#120;">SECRET</div>PUBLIC'],
    ['an id that is there twice', '<p id=x>SECRET</p>PUBLIC<p id=x>SECRET</p>PUBLIC'],
    ['an end that is implied', '<p id=x>SECRET<p>PUBLIC'],
    ['an end that is missing', '<p>PUBLIC</p><div id=x>SECRET<p>SECRET'],
    ['one within another', '<div id=x>SECRET<div data-dorlin-lock=walk>SECRET</div>SECRET</div>PUBLIC'],
    ['a row', '<table><tr id=x><td>SECRET<tr><td>PUBLIC</table>'],
    ['a table body', '<table><tbody id=x><tr><td>SECRET</tbody><tbody><tr><td>PUBLIC</table>'],
    ['a table', '<table id=x><caption>SECRET<tr><td>SECRET</table>PUBLIC'],
    ['a list', '<ul id=x><li>SECRET</ul><dl id=x><dt>SECRET</dl>PUBLIC'],
    ['a template', '<template id=x><p>SECRET</template>PUBLIC'],
    ['one in a template', '<template><p id=x>SECRET</p><p>PUBLIC</template>'],
    ['a script', '<script id=x>SECRET</script><script>PUBLIC</script>'],
    ['a text area', '<textarea id=x>SECRET</textarea>PUBLIC'],
    ['a picture', '<img id=x src=SECRET alt=SECRET>PUBLIC'],
    ['a video', '<video id=x poster=SECRET><source src=SECRET></video>PUBLIC'],
    ['an input', '<input id=x value=SECRET>PUBLIC'],
    ['a page in a page', '<iframe id=x srcdoc="<p>SECRET"></iframe>PUBLIC'],
    ['a form', '<form id=x action=SECRET>SECRET<input value=SECRET></form>PUBLIC'],
    ['in a form', '<form>PUBLIC<div id=x>SECRET</div><input value=PUBLIC></form>'],
    ['in a paragraph', '<p>PUBLIC <span id=x>SECRET</span> PUBLIC</p>'],
    ['in a link', '<a href=/>PUBLIC <b id=x>SECRET</b></a>'],
    ['a drawing', '<svg><g id=x><text>SECRET</text></g><text>PUBLIC</text></svg>'],
    ['in foreign text', '<svg><foreignObject><p id=x>SECRET</p>PUBLIC</foreignObject></svg>'],
    ['for those without scripts', '<noscript><p id=x>SECRET</p></noscript>PUBLIC'],
    ['deep below', `${'<div>'.repeat(400)}<p id=x>SECRET</p>PUBLIC`],
  ];
  for (const [name, body] of table) {
    test(name, () => {
      const result = cut(body);
      assert.ok(result !== undefined);
      assert.doesNotMatch(result, /SECRET/);
      assert.equal(result.match(/PUBLIC/g)?.length, body.match(/PUBLIC/g)?.length, result);
    });
  }
  test('what stands inside a comment, a script or a text area is no element', () => {
    const body = '<!--<p id=x>PUBLIC--><script>"<p id=x>PUBLIC"</script><textarea><p id=x>PUBLIC</textarea>';
    assert.equal(cut(body)?.match(/PUBLIC/g)?.length, 3);
    assert.equal(readPage(page(body), new Set(['x'])).ids.size, 0);
  });
  test('what cannot be cut for certain is not cut at all', () => {
    assert.equal(cut('<select><div id=x>SECRET</div></select>'), undefined);
    assert.equal(cut('<select id=x><option>SECRET<textarea>SECRET'), undefined);
    assert.equal(cut('<select><option id=x>SECRET<input value=SECRET>'), undefined);
    assert.equal(cut('<p><tr data-dorlin-lock=walk>SECRET'), undefined);
    // Cutting one of these would change what others hold, or be swallowed.
    assert.equal(cut('<div>PUBLIC<b id=x>SECRET<p>SECRET</b>PUBLIC</p></div>'), undefined);
    assert.equal(cut('<p id=x>SECRET</p><textarea>PUBLIC'), undefined);
    assert.equal(cut('<p id=x>SECRET</p><!--PUBLIC'), undefined);
    assert.equal(cut('<p id=x>SECRET</p><form>PUBLIC'), undefined);
    // Newer browsers fill other elements from these, wherever they stand.
    assert.equal(cut('<p id=x>SECRET</p><template for=y>PUBLIC</template>'), undefined);
    assert.equal(cut('<iframe srcdoc="<p data-dorlin-lock=walk>SECRET"></iframe>'), undefined);
    const inTwo = '<iframe srcdoc="<iframe srcdoc=&quot;<p data-dorlin-lock=walk>SECRET&quot;>">';
    assert.equal(cut(inTwo), undefined);
    assert.deepEqual([...readPage(page(inTwo), new Set()).marks], ['walk']);
    const behind = page('<iframe title=a srcdoc="<p data-dorlin-lock=walk>SECRET"></iframe>');
    assert.deepEqual([...readPage(behind, new Set()).marks], ['walk']);
    assert.equal(cutWhole('<body id=x>SECRET'), undefined);
    assert.equal(cutWhole('<html data-dorlin-lock=walk>SECRET'), undefined);
    assert.equal(cutWhole('<head id=x><title>SECRET</title></head>'), undefined);
    assert.equal(cutPage('<frameset id=x><frame src=SECRET></frameset>', cuts, addresses), 'frames');
  });
});

describe('what stands in its place', () => {
  test('a form that leads back to the section, in the language of the page', () => {
    const back = cut('<section id=x class=box>SECRET</section>', cuts, '/events?a=1&b="') ?? '';
    assert.match(back, /<section id=x class=box data-dorlin-section="0"><span class="dorlin-section" role="group"/);
    assert.match(back, /<input type="hidden" name="to" value="\/events\?a=1&amp;b=&quot;#x">/);
    assert.match(back, /<input type="hidden" name="lock" value="walk">/);
    assert.match(back, /form="dorlin-form-0" required/);
    assert.match(back, /<script data-dorlin-added src="\/_dorlin\/page.js" defer/);
    const german = cutWhole('<html lang=de-AT><p id=x>');
    assert.match(german ?? '', /Dieser Teil ist verschlossen/);
  });
  test('a sentence where it is closed, and nothing where it is hidden', () => {
    const closed = cut('<p id=x>SECRET</p>', {
      ids: new Map([['x', by({ kind: 'closed' })]]),
      marks: new Map(),
    });
    assert.match(closed ?? '', /This part is closed/);
    assert.doesNotMatch(closed ?? '', /<form|page\.js/);
    const hidden = cut('<p id=x>SECRET</p>PUBLIC', {
      ids: new Map([['x', by({ kind: 'hidden' })]]),
      marks: new Map(),
    });
    assert.doesNotMatch(hidden ?? '', /SECRET|form|password|locked/);
    const marks = new Map([['walk', by({ kind: 'hidden' })]]);
    const unnamed = cut('<p class=a data-dorlin-lock=walk>SECRET</p>PUBLIC', {
      ids: new Map(),
      marks,
    });
    assert.match(unnamed ?? '', /<p class=a data-dorlin-section="0"><\/p>PUBLIC/);
    assert.doesNotMatch(unnamed ?? '', /walk|SECRET/);
  });
  test('forms stay where they are put, in every kind of element', () => {
    for (const tag of ['tr', 'tbody', 'table', 'ul', 'dl', 'p', 'h2', 'span', 'form', 'img', 'a', 'td']) {
      const around: Record<string, string> = { tbody: '<table>', tr: '<table>', td: '<table><tr>' };
      const end = tag in around ? '</table>' : '';
      const body = `${around[tag] ?? ''}<${tag} id=x>${end}`;
      const again = cut(body) ?? '';
      const found = readPage(again, new Set(['x']));
      assert.equal(found.ids.size, 1, tag);
      assert.match(
        again,
        /id=x [^>]*data-dorlin-section="0"[^>]*>(<(tbody|tr|td|li|dd)>)*<span class="dorlin-section"/,
        tag,
      );
    }
  });
});

describe('what is open behind a section or in it is not read otherwise without it', () => {
  // what, the page → whether the section can be cut
  const table: [string, string, boolean][] = [
    ['nothing', '<div id=x>SECRET<b>b</b></div>PUBLIC', true],
    ['formatting that is opened anew', '<div id=x><b>SECRET</div>PUBLIC', false],
    ['formatting that it ends', '<b>a<div id=x>SECRET</b></div>PUBLIC', false],
    ['formatting that is open around it', '<p><b>a<span id=x>SECRET</span>b</b>PUBLIC', true],
    ['formatting that was not ended', '<p><b>a</p><div id=x>SECRET</div>PUBLIC', true],
    ['a form that it ends', '<form><div id=x>SECRET</form></div>PUBLIC<form>b</form>', false],
    ['a form that it begins', '<div id=x>SECRET<form></div>PUBLIC<form>b</form>', false],
    ['a paragraph that it ends', '<p>a<span id=x>SECRET</p></span>PUBLIC', true],
    ['attributes of the body', '<div id=x>SECRET<body class=SECRET></div>PUBLIC', false],
    ['a comment behind the page', '<div id=x>SECRET</body><!--SECRET--></div>PUBLIC', false],
    ['text straight in a table', '<table id=x>SECRET<tr><td>SECRET</table>PUBLIC', false],
    ['a cell', '<table><tr><td>a<div id=x>SECRET</div>PUBLIC</table>', true],
    ['a template', '<template><div id=x>SECRET</div>PUBLIC</template>', true],
    ['a template that has no end', '<div id=x>SECRET</div>PUBLIC<template>', true],
    ['a paragraph and formatting that have none', '<div id=x>SECRET</div><p><b>PUBLIC', false],
    ['a paragraph that has none', '<div id=x>SECRET</div><p>PUBLIC', true],
    ['a comment that has none', '<div id=x>SECRET</div>PUBLIC<!--', false],
    ['a drawing', '<svg><g id=x>SECRET</g></svg>PUBLIC', true],
  ];
  for (const [what, body, isCut] of table) {
    test(what, () => {
      const made = cutOrDeep(page(body), false);
      assert.deepEqual(made, cutOrDeep(page(body), true));
      assert.equal(typeof made !== 'string', isCut, JSON.stringify(made));
      const text = typeof made === 'string' ? 'PUBLIC' : withTarget(made, '/');
      assert.match(text, /PUBLIC/);
      assert.doesNotMatch(text, /SECRET/);
    });
  }
  test('however many sections there are', () => {
    const body = `${'<div>'.repeat(400)}${'<b>'.repeat(20)}${'<span id=x>SECRET</span>PUBLIC'.repeat(1200)}`;
    const made = cutPage(page(body), cuts, addresses);
    assert.equal(typeof made === 'string' ? made : withTarget(made, '/').includes('SECRET'), false);
  });
  test('frames, which what is put in its place would keep away as well', () => {
    const text = '<!doctype html><div><div id=x>SECRET</div></div><frameset><frame></frameset>';
    for (const kind of ['hidden', 'closed', 'ask'] as const) {
      const what = { ids: new Map([['x', by({ kind })]]), marks: new Map() };
      const made = cutPage(text, what, addresses);
      const sent = typeof made === 'string' ? '' : withTarget(made, '/');
      assert.doesNotMatch(sent, /SECRET/);
      assert.equal(sent === '' || /<form|<div/.test(sent), true);
    }
  });
  test('a form has the style of its screen, and what asks for nothing has none', () => {
    const styled = { ...addresses, styleOf: () => '/_dorlin/assets/section.css' };
    const made = (kind: Replacement['kind']) => {
      const screen = kind === 'hidden' ? undefined : screenOf({});
      const found = cutPage(
        page('<div id=x>SECRET</div>'),
        { ids: new Map([['x', by({ kind, screen })]]), marks: new Map() },
        styled,
      );
      return typeof found === 'string' ? '' : withTarget(found, '/');
    };
    assert.match(made('ask'), /<link [^>]*section\.css/);
    assert.doesNotMatch(made('hidden'), /section\.css/);
  });
  test('frames, where only its text keeps them away', () => {
    const hidden = { ids: new Map([['x', by({ kind: 'hidden' })]]), marks: new Map() };
    const text = '<!doctype html><title>t</title><div id=x>SECRET</div><frameset><frame></frameset>';
    assert.equal(typeof cutPage(text, hidden, addresses), 'string');
  });
  test('marks for browsers without scripts alone are found', () => {
    const text = page('<noscript><p data-dorlin-lock=walk>SECRET</noscript>PUBLIC');
    assert.deepEqual([...readPage(text, new Set()).marks], ['walk']);
    assert.deepEqual([...readPage(page('<p>a<noscript><p id=x>SECRET'), new Set(['x'])).ids], ['x']);
    assert.doesNotMatch(cutWhole(text) ?? '', /SECRET/);
  });
});

describe('two trees are the same', () => {
  const before =
    '<!doctype html><p class=a id=b>text<!--note--><svg viewBox=x></svg><template><i>t</i></template></p><p>c</p>';
  const same = (after: string, added = 0) =>
    atOnce(isSameTreeSteps(parse(before), parse(after), { cut: new Map(), emptied: new Set(), added }));
  test('where nothing differs', () => {
    assert.equal(same(before), true);
    const form = '<form data-dorlin-added></form>';
    assert.equal(same(before + form, 1), true);
    assert.equal(same(before + form + form, 1), false);
    assert.equal(same(before + form, 2), false);
    assert.equal(same(before, 1), false);
    assert.equal(same(`${before}<form></form>`, 1), false);
    assert.equal(same(`${before + form}<i></i>`, 2), false);
    assert.equal(same(`${before}<i></i>${form}`, 2), false);
    assert.equal(same(form + before, 1), false);
  });
  const differences: [string, string, string][] = [
    ['another mode', '<!doctype html>', ''],
    ['another doctype', '<!doctype html>', '<!doctype svg>'],
    ['another public name', '<!doctype html>', '<!doctype html public "a">'],
    ['another system name', '<!doctype html>', '<!doctype html system "a">'],
    ['another tag', '<p>c</p>', '<h1>c</h1>'],
    ['another text', 'text', 'texts'],
    ['another comment', 'note', 'notes'],
    ['another value', 'class=a', 'class=b'],
    ['another attribute', 'class=a', 'lang=a'],
    ['one attribute more', 'class=a', 'class=a lang=c'],
    ['one attribute less', 'class=a', ''],
    ['attributes in another order', 'class=a id=b', 'id=b class=a'],
    ['an element of the same name in another namespace', '<svg viewBox=x></svg>', '<math><svg viewBox=x></svg></math>'],
    ['another namespace', '<svg viewBox=x></svg>', '<math viewBox=x></math>'],
    ['another name of an attribute', 'viewBox', 'viewbox2'],
    ['another template', '<i>t</i>', '<i>u</i>'],
    ['one element more', '<p>c</p>', '<p>c</p><p></p>'],
    ['one element less', '<p>c</p>', ''],
  ];
  for (const [what, from, to] of differences) {
    test(`not with ${what}`, () => {
      assert.equal(before.includes(from), true);
      assert.equal(same(before.replace(from, to)), false);
    });
  }
});

test('what a cut is proven by makes no difference, but for the time that it takes', () => {
  const random = seededRandom(20);
  const counts = { plain: 0, odd: 0, shut: 0 };
  for (let turn = 0; turn < 3000; turn++) {
    const text = page(soup(random).replaceAll('locked', 'x'));
    const proven = cutOrDeep(text, false);
    assert.deepEqual(proven, cutOrDeep(text, true), text);
    const isShut = typeof proven === 'string';
    if (isShut) counts.shut++;
    else counts[isPlainPage(text) ? 'plain' : 'odd']++;
  }
  // Both kinds of proof were needed, and some pages have none.
  assert.equal(
    Object.values(counts).every((count) => count > 50),
    true,
    JSON.stringify(counts),
  );
});
const cutOrDeep = (text: string, isReadAgain: boolean) => {
  try {
    return cutPage(text, cuts, addresses, undefined, undefined, isReadAgain);
  } catch (error) {
    if (error instanceof NestedTooDeeply) return 'too deep';
    throw error;
  }
};
/** Whether all sections of a page leave the parser as it was. */
function isPlainPage(text: string): boolean {
  const isSection = ({ attrs }: { attrs: readonly { name: string; value: string }[] }) =>
    attrs.some(({ name, value }) => name === 'data-dorlin-lock' || value === 'x');
  const { tags, places } = parseWatching(text, isSection, true, isSection);
  return tags.length > 0 && tags.every(({ tag }) => places.get(tag.attrs)?.isPlain === true);
}

describe('a page is read in the encoding in which browsers read it, or not at all', () => {
  const bytes = (...parts: (string | number[])[]) =>
    Uint8Array.from(parts.flatMap((part) => (typeof part === 'string' ? [...Buffer.from(part, 'latin1')] : part)));
  // what, bytes, Content-Type → text, or undefined for what is uncertain
  const table: [string, Uint8Array, string, string | undefined][] = [
    ['UTF-8', new TextEncoder().encode('<p>é'), 'text/html; charset=utf-8', '<p>é'],
    ['UTF-8 that nobody declares', new TextEncoder().encode('<p>é'), 'text/html', '<p>é'],
    ['windows-1252 by its header', bytes('<p>', [0xe9]), 'text/html; charset="ISO-8859-1"', '<p>é'],
    ['windows-1252 that nobody declares', bytes('<p>', [0xe9]), 'text/html', '<p>é'],
    ['by its meta', bytes('<meta charset=windows-1251><p>', [0xe9]), 'text/html', '<meta charset=windows-1251><p>й'],
    ['a mark before the header', bytes([0xef, 0xbb, 0xbf], '<p>'), 'text/html; charset=utf-16', '<p>'],
    ['UTF-16 by its mark', bytes([0xff, 0xfe], '<\0p\0>\0'), 'text/html', '<p>'],
    ['UTF-16 by its header', bytes('<\0p\0>\0'), 'text/html; charset=utf-16le', '<p>'],
    ['UTF-16 that nobody declares', bytes('<\0p\0>\0'), 'text/html', undefined],
    ['with states, by its header', bytes('<p>'), 'text/html; charset=iso-2022-jp', undefined],
    ['with states, by its meta', bytes('<meta charset=iso-2022-jp><p>'), 'text/html', undefined],
    ['with an escape', bytes('<p>', [0x1b], '$B'), 'text/html', undefined],
    ['an encoding of no standard', bytes('<p>'), 'text/html; charset=x-ours', undefined],
  ];
  for (const [name, body, type, expected] of table) {
    test(name, () => {
      assert.equal(decodeHtml(body, type), expected);
    });
  }
});

describe('nothing but the section is another', () => {
  const kept: [string, string, string][] = [
    ['a base and a policy in the head', '<base href=/x><meta http-equiv=Content-Security-Policy content="a">', ''],
    ['a select', '', '<select><option>One<option selected>Two</select>'],
    ['odd spacing, quotes and capitals', '<META  Charset = utf-8 >', "<P CLASS='a'  Title=b\t>x</P\n>"],
    ['comments, scripts and styles', '<style>p > a{}</style>', '<!-- <p id=y> --><script>if (a<b) "</p>"</script>'],
    ['bytes that are no letters', '', '\xff\xfe\x80\xe9 \xc3\xa9'],
    ['what looks like a mark of ours', '', 'dorlin--target--here data-dorlin-section="0"'],
    ['line ends', '', 'a\r\nb\rc\n\n'],
  ];
  for (const [name, head, body] of kept) {
    test(name, () => {
      const before = `<!DOCTYPE html>\n<html lang=en><head>${head}<title>T</title></head>\n<body>${body}`;
      const after = `${body}</body>\n</html>\n`;
      const made = cutWhole(`${before}<div id=x>SECRET</div>${after}`);
      assert.ok(made?.startsWith(before));
      const rest = (made ?? '').slice(before.length);
      const at = rest.indexOf(after);
      assert.match(rest.slice(0, at), /^<div id=x data-dorlin-section="0">.*<\/div>$/s);
      assert.match(rest.slice(at + after.length), /^<form data-dorlin-added [^]*<\/script>$/);
    });
  }
  test('whatever a page is made of, it is cut to the letter or not at all', () => {
    const piece = fc.constantFrom(
      ...'<p> </p> <b> </b> <a> <ul> <li> </ul> <table> <tr> <td> </table> <form> </form> <!--x--> text &amp; <br> <h1> </h1> <svg> </svg>'.split(
        ' ',
      ),
    );
    let done = 0;
    fc.assert(
      fc.property(
        fc.array(piece, { maxLength: 12 }),
        fc.array(piece, { maxLength: 12 }),
        fc.constantFrom('p', 'div', 'b', 'li', 'td', 'tr', 'span'),
        (before, after, tag) => {
          const [start, end] = [page(before.join('')), after.join('')];
          const made = cutWhole(`${start}<${tag} id=x>SECRET</${tag}>${end}`);
          if (made === undefined) return;
          done++;
          assert.ok(made.startsWith(`${start}<`));
          assert.doesNotMatch(made, /SECRET/);
          assert.ok(made.replace(/<form data-dorlin-added[^]*$/, '').endsWith(end));
        },
      ),
      { numRuns: 400 },
    );
    assert.equal(done > 80, true, `${done}`);
  });
});

describe('a page goes out in the bytes in which it came', () => {
  const eightBits = (text: string) => Uint8Array.from(text, (letter) => letter.charCodeAt(0));
  for (const [name, type, text, id] of [
    ['UTF-8', 'text/html; charset=utf-8', '<p id=\xc3\xa9>', 'é'],
    ['UTF-8 with a mark', 'text/html', '\xef\xbb\xbf<p id=\xc3\xa9>', 'é'],
    ['UTF-8 that nobody declares', 'text/html', '<p id=\xc3\xa9>', 'é'],
    ['windows-1252 that nobody declares', 'text/html', '<p id=\xe9>', 'é'],
    ['windows-1251', 'text/html; charset=windows-1251', '<p id=\xe9>', 'й'],
    ['EUC-KR', 'text/html; charset=euc-kr', '<p id=\xb0\xa1>', '가'],
    ['Big5', 'text/html; charset=big5', '<p id=\xa4\xa4>', '中'],
    ['GBK', 'text/html; charset=gbk', '<p id=\xd6\xd0>', '中'],
    ['Shift_JIS', 'text/html; charset=shift_jis', '<p id=\x83\x5c>', 'ソ'],
    ['a reference', 'text/html; charset=big5', '<p id=&eacute;>', 'é'],
  ] as const) {
    test(name, () => {
      const found = pageLetters(eightBits(text), type);
      assert.ok(found !== undefined && !found.isRecoded);
      assert.equal(found.start + found.letters, text);
      const { ids } = readPage(found.letters, new Set([id]), found.readValue);
      assert.deepEqual([...ids], [id]);
    });
  }
  test('but for UTF-16, which becomes UTF-8, and encodings with states, which are not read', () => {
    const found = pageLetters(Uint8Array.from([0xff, 0xfe, 0x3c, 0, 0xe9, 0]), 'text/html');
    assert.deepEqual([found?.letters, found?.isRecoded], ['<\xc3\xa9', true]);
    for (const label of ['iso-2022-jp', 'hz-gb-2312', 'utf-7', 'iso-2022-kr', 'replacement', 'x-ours']) {
      assert.equal(pageLetters(eightBits('<p>'), `text/html; charset=${label}`), undefined, label);
    }
  });
});

test('a page that may hold marks is known by its bytes, whatever their case and encoding', () => {
  const piece = fc.oneof(
    fc.constantFrom(
      'data-dorlin-lock',
      'DATA-Dorlin-LOCK',
      'data-dorlin-loc',
      'ata-dorlin-lock',
      'k',
      'lock',
      'dorlin-',
      '-',
    ),
    fc.string({ unit: fc.constantFrom(...Array.from('datorlinck-K <>="\u0000\u00ff')) }),
  );
  const encodings = ['latin1', 'utf16le', 'utf16be'] as const;
  let marked = 0;
  const wanted = fc.property(fc.array(piece), fc.constantFrom(...encodings), (pieces, encoding) => {
    // In an ASCII encoding a NUL is a letter of its own.
    const text = pieces.join(' ').replaceAll('\0', encoding === 'latin1' ? '' : '\0');
    const bytes = Buffer.from(text, encoding === 'latin1' ? 'latin1' : 'utf16le');
    const is = text.toLowerCase().includes('data-dorlin-lock');
    if (is) marked++;
    assert.equal(mayBeMarked(encoding === 'utf16be' ? bytes.swap16() : bytes), is, JSON.stringify(text));
  });
  fc.assert(wanted, { numRuns: 3000 });
  assert.ok(marked > 300, String(marked));
});

test('names in a page that cannot be parsed: one that goes on is none', () => {
  const cases: [string, string[]][] = [
    ['<p data-dorlin-lock=walk>', ['walk']],
    ['<p data-dorlin-lock = " walk ">', ['walk']],
    ['<p data-dorlin-lock=\'walk\'><p data-dorlin-lock="talk">', ['walk', 'talk']],
    ['<p data-dorlin-lock="walk<a">', ['']],
    ["<p data-dorlin-lock='walk more'>", ['']],
    ['<p data-dorlin-lock=walk&amp;>', ['']],
    ['<p data-dorlin-lock="walk', ['walk']],
    ['<p data-dorlin-lock>', ['']],
  ];
  for (const [page, names] of cases) assert.deepEqual([page, marksIn(page)], [page, names]);
});
