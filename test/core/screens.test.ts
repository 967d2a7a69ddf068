import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { leastContrast, readColor } from '../../src/core/screen/design/color.js';
import { pairsOf } from '../../src/core/screen/design/contrast.js';
import { nearestPassing } from '../../src/core/screen/design/nearest.js';
import { lookNames } from '../../src/core/screen/looks/names.js';
import { escapeHtml } from '../../src/core/screen/html.js';
import { builtInLanguages, screenLanguages, spanWords } from '../../src/core/screen/languages.js';
import { renderScreen } from '../../src/core/screen/render.js';
import { screenOf, view } from '../support/screens.js';

/** The names of all tags, attributes left out. */
const tagsOf = (page: string) => page.replace(/"[^"]*"/g, '""').match(/<\/?[a-z0-9]+/g) ?? [];

const hostile = fc.oneof(
  fc.string({ minLength: 1, maxLength: 40 }),
  fc.constantFrom('"><script>x</script>', "' onload='x", '</title><img src=x>', '&lt;', '$&$`'),
);

describe('whatever stands in a text or an address stays text', () => {
  test('from the request', () => {
    fc.assert(
      fc.property(hostile, hostile, (siteName, to) => {
        const page = renderScreen({ ...view, siteName, to });
        assert.ok(page.includes(`value="${escapeHtml(to)}"`));
        assert.deepEqual(tagsOf(page), tagsOf(renderScreen(view)));
      }),
    );
  });

  const designWith = (text: string) => {
    const picture = { picture: '/pictures/moor.jpg', alt: text, width: 80, height: 60 };
    const request = { gives: { password: 'x' }, text, label: text, button: text, consent: text };
    return {
      text: Object.fromEntries(
        ['heading', 'message', 'label', 'placeholder', 'button', 'stay', 'hint', 'home', 'smallPrint'].map((key) => [
          key,
          text,
        ]),
      ),
      logo: { ...picture, link: '/' },
      picture: { picture: '/pictures/moor.jpg', alt: text },
      above: [{ links: [{ to: '/', text }] }, { pictures: [picture, picture] }],
      below: [{ picture: picture.picture, alt: text, width: 8, height: 8 }, { request }],
    };
  };
  test('from the policy', () => {
    const requested = { ...view, request: { action: '/_dorlin/request' } };
    const usual = tagsOf(renderScreen({ ...requested, screen: screenOf(designWith('Moor')) }));
    fc.assert(
      fc.property(hostile, (text) => {
        const page = renderScreen({ ...requested, screen: screenOf(designWith(text)) });
        assert.deepEqual(tagsOf(page), usual);
      }),
    );
  });

  test('from Markdown, of which HTML, pictures and other schemes are no part', () => {
    const shown = (markdown: string) =>
      / class="rich">([\s\S]*?)<\/div>/.exec(
        renderScreen({ ...view, screen: screenOf({ above: [{ markdown }] }) }),
      )?.[1];
    assert.equal(
      shown('## Parking\n\nUse the *north* gate, **not** [the lane](/visits/lane).\n\n- One\n- Two'),
      '<h2>Parking</h2>\n<p>Use the <em>north</em> gate, <strong>not</strong> <a href="/visits/lane">the lane</a>.</p>\n<ul>\n<li>One</li>\n<li>Two</li>\n</ul>',
    );
    for (const text of [
      '<script>x</script>',
      '<b onclick=x>',
      '![x](/y.png)',
      '[x](javascript:x)',
      '[x](data:text/html,x)',
      '[x](//elsewhere.example)',
      '[x](&#106;avascript:x)',
      '`x`',
    ]) {
      assert.doesNotMatch(shown(text) ?? '', /<(?!\/?(?:p|a)>|a href="\/y\.png")/, text);
    }
    fc.assert(
      fc.property(fc.string({ minLength: 1 }), hostile, (one, other) => {
        const html = shown(`${one}${other}`) ?? '';
        assert.doesNotMatch(html, /<(?!\/?(?:p|h2|em|strong|ul|ol|li|a|br)\b)/);
        assert.doesNotMatch(html, /<[a-z0-9]+ (?!href="(?:\/(?!\/)|https?:|mailto:|tel:|#)|start=")/i);
      }),
    );
  });

  test('extra CSS does not break out of its element', () => {
    const css = 'p{color:red}</style><script>x</script></STYLE >p::after{content:"</style>"}';
    const page = renderScreen({ ...view, screen: screenOf({ css }) });
    assert.equal(page.match(/<\/style/gi)?.length, 1);
    assert.deepEqual(
      tagsOf(page.slice(page.indexOf('</style>'))),
      tagsOf(renderScreen(view).replace(/^[\s\S]*(?=<\/style>)/, '')),
    );
  });
});

test('line ends in extra CSS do not part the style from its hash', () => {
  const { style } = screenOf({ css: 'p{\r\ncolor:red\r}\0' });
  assert.doesNotMatch(style, /[\r\0]/);
});

describe('every language has every word, and says spans of time', () => {
  for (const [tag, span] of [
    ['en', '30 days'],
    ['fr', '30\u00a0jours'],
    ['de', '30 Tage'],
    ['es', '30 días'],
    ['pt', '30 dias'],
    ['pl', '30 dni'],
    ['ar', '30 يومًا'],
    ['ja', '30 日'],
  ] as const) {
    test(tag, () => {
      const [language] = screenLanguages([tag]);
      const english = screenLanguages(['en'])[0].words as unknown as Record<string, string>;
      assert.equal(language.tag, tag);
      for (const [key, word] of Object.entries<string>({ ...language.words })) {
        assert.ok(word.length > 1, key);
        // The same gaps to fill in.
        const gaps = (text: string) => [...(text.match(/\{\w+\}/g) ?? [])].sort();
        assert.deepEqual(gaps(word), gaps(english[key] ?? ''), key);
      }
      assert.equal(spanWords(30 * 86_400, tag), span);
      const page = renderScreen({ ...view, language });
      assert.ok(page.includes(span));
      assert.ok(page.includes(`<html lang="${tag}" dir="${tag === 'ar' ? 'rtl' : 'ltr'}">`));
    });
  }
  test('these are all', () => {
    assert.deepEqual(builtInLanguages.join(' '), 'en fr de es pt pl ar ja');
  });
  test('what the screen does not speak falls back', () => {
    assert.equal(screenLanguages(['tlh'])[0].tag, 'en');
    assert.equal(screenLanguages(['tlh', 'de-CH'])[0].tag, 'de-CH');
    assert.equal(spanWords(12 * 3600, 'en'), '12 hours');
    assert.equal(spanWords(90 * 60, 'en'), '90 minutes');
  });
});

test('an owner’s texts are those of the language, else built in; others say which they are', () => {
  const text = {
    heading: { en: 'Evening log', fr: 'Le journal du soir' },
    button: { 'pt-BR': 'Entrar', en: 'Come in' },
    hint: 'Members know it.',
  };
  const shown = (tag: string) =>
    renderScreen({ ...view, screen: screenOf({ text }), language: screenLanguages([tag])[0] });
  assert.match(shown('fr-CA'), /<h1>Le journal du soir<\/h1>/);
  assert.match(shown('en-IE'), /<h1>Evening log<\/h1>/);
  assert.match(shown('de'), /<h1>Diese Seite ist verschlossen<\/h1>/);
  assert.match(shown('pt'), />Entrar<\/button>/);
  assert.match(shown('de'), /<p class="hint" lang="en">Members know it\.<\/p>/);
  assert.match(shown('ar'), /<p class="hint" lang="en" dir="ltr">Members know it\.<\/p>/);
  assert.match(shown('en-GB'), /<p class="hint">Members know it\.<\/p>/);
});

describe('contrast', () => {
  test('every pair of colors that meets in a look passes, light and dark', () => {
    for (const look of lookNames) {
      const pairs = pairsOf(screenOf({ look, text: { placeholder: 'x' } }).design);
      assert.ok(pairs.length >= 16);
      const failing = pairs.filter(({ ratio, wanted }) => ratio < wanted);
      assert.deepEqual(failing, [], look);
    }
  });
  test('of known colors it is what the standard says', () => {
    assert.equal(leastContrast('#000000', ['#ffffff']), 21);
    assert.equal(leastContrast('#777777', ['#ffffff']).toFixed(2), '4.48');
    assert.equal(leastContrast('#595959', ['#ffffff', '#eeeeee']).toFixed(2), '6.04');
    assert.equal(leastContrast('#777777', ['#ffffff', '#000000']), 1);
  });
  test('of text on a picture it is that with the worst picture, under its overlay', () => {
    const on = (overlay: number) => {
      const background = { picture: '/pictures/moor.jpg', overlay };
      const colors = { light: { page: '#ffffff', text: '#000000' } };
      const { design } = screenOf({ look: 'lantern', scheme: 'light', background, colors, card: { opacity: 0 } });
      const pair = pairsOf(design).find(({ role }) => role === 'text');
      assert.equal(pair?.on, 'the picture');
      return pair.ratio;
    };
    assert.equal(on(0), 1);
    assert.ok(on(0.3) < 4.5 && on(0.3) > 1);
    assert.equal(on(1), 21);
  });
  test('the nearest color that passes does so only just, and in the same hue', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 0, max: 0xffffff }),
        fc.constantFrom('#ffffff', '#14383a', '#808080'),
        (value, ground) => {
          const color = readColor(`#${value.toString(16).padStart(6, '0')}`) ?? '#000000';
          const behind = [readColor(ground) ?? '#000000'];
          const found = nearestPassing(color, behind, 4.5);
          if (ground === '#808080' && found === undefined) return;
          assert.ok(found !== undefined);
          const ratio = leastContrast(found, behind);
          assert.ok(ratio >= 4.5 && (ratio < 4.9 || leastContrast(color, behind) >= 4.5), `${found} ${ratio}`);
        },
      ),
    );
  });
});
