import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { targetReader } from '../../src/core/places/canonical.js';

const read = targetReader({
  indexFiles: ['index.html'],
  extensions: ['.html'],
  caseSensitive: false,
});
const readingsOf = (target: string) => {
  const result = read(target);
  return result.ok ? result.readings : [result.refusal];
};

describe('one place, every spelling', () => {
  const spellings: Record<string, string[]> = {
    '': [
      '/',
      '//',
      '/?x',
      '/index.html',
      '/INDEX.HTML',
      '/%69ndex.html',
      'http://site.example',
      'http://site.example?x',
      '/index.html/',
    ],
    '/about': [
      '/about',
      '/about/',
      '/about.html',
      '/About',
      '/ABOUT.HTML',
      '/%61bout',
      '/about?x=/../y',
      '/about/index.html',
      '/about.html/',
      '/about//',
      '/about.',
      '/about%20',
      '/about.html.html',
      'http://site.example/about',
      'HTTP://site.example:80/about',
      'https://[2001:db8::1]:8443/about',
      '/a%EF%BD%82out',
      '/ab%C2%ADout',
    ],
    '/press/embargoed': ['/press/embargoed/', '/press//embargoed', '/press./embargoed', '/PRESS/EMBARGOED/index.html'],
    '/café': ['/caf%C3%A9', '/cafe%CC%81', '/CAF%C3%89', '/CAFE%CC%81.html'],
    '/strasse': ['/stra%C3%9Fe', '/STRASSE', '/STRA%E1%BA%9EE'],
    '/members/handbook.pdf': ['/members/handbook.pdf', '/members/HANDBOOK.PDF?download', '/members/handbook%2Epdf'],
  };
  for (const [path, targets] of Object.entries(spellings)) {
    for (const target of targets) {
      test(`${target} is ${path || 'the start page'}`, () => {
        assert.equal(readingsOf(target)[0], path);
        // A host may hide in two slashes; else there is nothing to be in doubt about.
        if (!/^\/\/|index$/.test(target)) assert.equal(readingsOf(target).length, 1);
      });
    }
  }
});

describe('what servers read differently has every reading', () => {
  const ambiguous: Record<string, string[]> = {
    '/members;x/log': ['/members;x/log', '/members/log', '/members'],
    '/members%3Bx/log': ['/members;x/log', '/members/log', '/members'],
    '/film;/x': ['/film;/x', '/film/x', '/film'],
    '/members;/join': ['/members;/join', '/members/join', '/members'],
    '/film%CD%BE/x': ['/film;/x', '/film/x', '/film'],
    '/star+wheel': ['/star+wheel', '/star wheel'],
    '/cgi-bin/report.py/x': ['/cgi-bin/report.py/x', '/cgi-bin/report.py'],
    '/a%2Fb': ['/a%2fb', '/a/b'],
    '/a%3Fb/c': ['/a?b/c', '/a'],
    '/a%23b': ['/a#b', '/a'],
    '//host/about': ['/host/about', '/about'],
    '///about': ['/about', ''],
    '/press/index': ['/press/index', '/press'],
    '/about.html/more': ['/about/more', '/about'],
    '/press/index.html/more': ['/press/index/more', '/press'],
  };
  for (const [target, readings] of Object.entries(ambiguous)) {
    test(target, () => {
      assert.deepEqual(readingsOf(target), readings);
    });
  }
});

describe('what cannot be read for certain is refused', () => {
  const refused: Record<string, string[]> = {
    'not-a-path': ['*', 'about', 'site.example:443', '', 'ftp//x'],
    'too-long': [
      `/${'a'.repeat(4096)}`,
      `/%61${'a'.repeat(4096)}`,
      `/${'a'.repeat(4096)}?b`,
      `/a?${'b'.repeat(65_534)}`,
      `/%61?${'%62'.repeat(22_000)}`,
    ],
    'too-many-parts': ['/a'.repeat(129), '/%61'.repeat(129)],
    'control-character': ['/a%00', '/a%0d%0ab', '/a b', '/a%7f', '/a\x01', '/a%C2%80'],
    backslash: ['/a\\b', '/a%5cb', '\\a', '/a%EF%BC%BCb', '/a%EF%BC%8Fb'],
    'raw-non-ascii': ['/café'],
    fragment: ['/a#b', '/a#?b'],
    'bad-encoding': ['/%', '/%zz', '/%c0%af', '/%ff', '/%ed%a0%80', '/%u002f'],
    'double-encoding': ['/%2561', '/a%252fb', '/%25%36%31'],
    'dot-segment': [
      '/.',
      '/..',
      '/a/../b',
      '/a/%2e%2e/b',
      '/a/..;x/b',
      '/a/.%2e',
      '/a/...',
      '/a%2f..%2fb',
      '/a/%20/b',
      '/a/%EF%BC%8E%EF%BC%8E/b',
    ],
    'stream-name': ['/about.html::$DATA', '/members:$i30:$INDEX_ALLOCATION/log', '/a:$b'],
    'bad-authority': [
      'http:///x/members',
      'https:///members',
      'http://',
      'http://%6dembers/log.html',
      'http://%2fmembers%2flog.html',
      'http://me@site.example/about',
      'http://x:99999/',
      'http://x:65536/',
      'http://x:/',
      'http://[/',
      'http://a%/',
      'ftp://site.example/about',
      'file:///etc/passwd',
    ],
    'too-many-readings': ['/index'.repeat(60)],
  };
  for (const [refusal, targets] of Object.entries(refused)) {
    for (const target of targets) {
      test(`${target.slice(0, 40)}: ${refusal}`, () => {
        const result = read(target);
        // Which of several faults is named first does not matter.
        assert.equal(result.ok, false);
        if (refusal !== 'backslash' && refusal !== 'not-a-path') {
          assert.deepEqual(result, { ok: false, refusal });
        }
      });
    }
  }
});

test('cases are kept apart where the site does so', () => {
  const strict = targetReader({
    indexFiles: ['index.html'],
    extensions: ['.html'],
    caseSensitive: true,
  });
  assert.deepEqual(strict('/About'), { ok: true, readings: ['/About'] });
});

test('the quick reader and the careful one agree', () => {
  const part = fc.stringMatching(/^[A-Za-z0-9_-]{1,6}(\.(html|HTML|pdf|x))?$/);
  fc.assert(
    fc.property(fc.array(part, { maxLength: 5 }), fc.constantFrom('', '/', '?q=1', '/?q'), (parts, end) => {
      const target = `/${parts.join('/')}${end}`;
      // An empty encoded query changes nothing but the way that is taken.
      const careful = read(target.replace(/[a-z0-9]/i, (letter) => `%${letter.charCodeAt(0).toString(16)}`));
      assert.deepEqual(read(target), careful);
    }),
    { numRuns: 2000 },
  );
});

test('any text at all is read or refused, quickly and without throwing', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'binary', maxLength: 200 }), (text) => {
      const result = read(`/${text}`);
      if (!result.ok) return;
      for (const reading of result.readings) assert.match(reading, /^(\/[^/]+)*$/);
    }),
    { numRuns: 3000 },
  );
});

test('what an owner writes is read as it is meant', () => {
  const place = targetReader({ indexFiles: ['index.html'], extensions: ['.html'], caseSensitive: false }, true);
  for (const text of ['/c++', '/v1.2/guide', '/docs.d/', '/cgi-bin/report.py/x']) {
    assert.deepEqual(place(text), { ok: true, readings: [text.replace(/\/$/, '')] }, text);
    assert.ok(readingsOf(text).includes(text.replace(/\/$/, '')), 'and it is what visitors ask for');
  }
});
