import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { screenLanguages, spanWords } from '../../src/core/screen/languages.js';
import { escapeHtml, renderScreen, type ScreenView } from '../../src/core/screen/render.js';

const view: ScreenView = {
  state: 'ask',
  siteName: 'Kestrelmoor',
  language: screenLanguages(['en'])[0],
  lock: 'members',
  to: '/members/',
  action: '/_dorlin/unlock',
  script: '/_dorlin/assets/s.js',
};

test('whatever stands in a text or an address stays text', () => {
  const hostile = fc.oneof(
    fc.string(),
    fc.constantFrom('"><script>x</script>', "' onload='x", '</title><img src=x>', '&lt;'),
  );
  fc.assert(
    fc.property(hostile, hostile, hostile, (siteName, to, home) => {
      const page = renderScreen({ ...view, siteName, to, home });
      assert.ok(page.includes(`value="${escapeHtml(to)}"`));
      // The page's own script and elements, and no others.
      const tags = page.replace(/"[^"]*"/g, '""').match(/<[a-z]+/g) ?? [];
      const usual = renderScreen({ ...view, home: '/' })
        .replace(/"[^"]*"/g, '""')
        .match(/<[a-z]+/g);
      assert.deepEqual(tags, usual);
    }),
  );
});

describe('every language has every word, and says spans of time', () => {
  for (const [tag, span] of [
    ['en', '30 days'],
    ['fr', '30\u00a0jours'],
    ['de', '30 Tage'],
  ] as const) {
    test(tag, () => {
      const [language] = screenLanguages([tag]);
      assert.equal(language.tag, tag);
      for (const word of Object.values<string>({ ...language.words })) assert.ok(word.length > 2);
      assert.equal(spanWords(30 * 86_400, tag), span);
      assert.match(renderScreen({ ...view, language, staySeconds: 30 * 86_400 }), new RegExp(span));
    });
  }
  test('what the screen does not speak falls back', () => {
    assert.equal(screenLanguages(['tlh'])[0].tag, 'en');
    assert.equal(screenLanguages(['tlh', 'de-CH'])[0].tag, 'de-CH');
    assert.equal(spanWords(12 * 3600, 'en'), '12 hours');
    assert.equal(spanWords(90 * 60, 'en'), '90 minutes');
  });
});
