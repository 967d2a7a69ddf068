import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { targetReader } from '../../src/core/places/canonical.js';
import { isSameHost, normalTarget } from '../../src/core/places/request-target.js';

describe('what is passed on is in one form', () => {
  const forms: Record<string, string> = {
    '/about': '/about',
    '/%61bout': '/about',
    '/%7euser/%2D%2e%5f': '/~user/-._',
    '/caf%c3%a9': '/caf%C3%A9',
    '/a%2fb%3f': '/a%2Fb%3F',
    '/a"b<c>d^e`f{g|h}i[j]': '/a%22b%3Cc%3Ed%5Ee%60f%7Bg%7Ch%7Di%5Bj%5D',
    "/a!$&'()*+,;=:@b": "/a!$&'()*+,;=:@b",
    '/x?': '/x?',
    '/x?a=%41&b=%c3%a9': '/x?a=A&b=%C3%A9',
    '/x?a=100%&b=%zz': '/x?a=100%25&b=%25zz',
    '/x?q={a|b}[]': '/x?q={a|b}[]',
    '/x?q=\xe9\\"': '/x?q=%E9%5C%22',
    'http://site.example': '/',
    'http://site.example?x': '/?x',
    'HTTPS://Site.Example:8443/a?b': '/a?b',
    'http://[2001:db8::1]/a': '/a',
    '//site.example/a': '//site.example/a',
    '/x?\u00ff\u0100': '/x?%FF%C4%80',
    '/x?\uffffx': '/x?%EF%BF%BFx',
    '/x?\u{1f600}x': '/x?%F0%9F%98%80x',
    '/x?\ud800x': '/x?%EF%BF%BDx',
  };
  for (const [target, form] of Object.entries(forms)) {
    test(target, () => {
      const normal = normalTarget(target);
      assert.ok(normal.ok);
      assert.equal(normal.target, form);
    });
  }
});

test('the longest path and query are read to their end', () => {
  const longest = `/${'a'.repeat(4095)}?`;
  const query = 'b'.repeat(61_439);
  assert.deepEqual(normalTarget(longest + query), { ok: true, target: longest + query });
  assert.equal(normalTarget(`${longest}${query}b`).ok, false);
  const encoded = normalTarget(`/a?${query}%7eb"`);
  assert.ok(encoded.ok);
  assert.equal(encoded.target, `/a?${query}~b%22`);
});

const hostile = fc.stringMatching(
  /^(\/|http:\/\/(site\.example)?\/?|https:)?([a-zA-Z./;%?&=+@:~ "{}-]|%[0-9a-fA-F]{2}){0,24}$/,
);
const read = targetReader({
  indexFiles: ['index.html'],
  extensions: ['.html'],
  caseSensitive: false,
});

test('the normal form is its own, plain, and is read as what arrived', () => {
  let normal = 0;
  fc.assert(
    fc.property(hostile, (raw) => {
      const once = normalTarget(raw);
      if (!once.ok) {
        assert.equal(read(raw).ok, false);
        return;
      }
      normal++;
      assert.match(once.target, /^\/[\x21-\x7e]*$/);
      assert.doesNotMatch(once.target, /[#\\<>"]|%(?![0-9A-F]{2})/);
      const twice = normalTarget(once.target);
      assert.equal(twice.ok && twice.target, once.target);
      assert.deepEqual(read(once.target), read(raw));
    }),
    { numRuns: 5000 },
  );
  assert.ok(normal > 500, `${normal}`);
});

test('what WHATWG URL makes of the normal form is what was judged', () => {
  fc.assert(
    fc.property(hostile, (raw) => {
      const normal = normalTarget(raw);
      if (!normal.ok || normal.target.startsWith('//') || !read(raw).ok) return;
      const url = new URL(normal.target, 'http://site.example');
      assert.equal(url.host, 'site.example');
      assert.equal(url.pathname, normal.target.split('?', 1)[0]);
    }),
    { numRuns: 3000 },
  );
});

test('an authority must be the host that was asked', () => {
  assert.ok(isSameHost('site.example', 'Site.Example:80'));
  assert.ok(isSameHost('site.example:443', 'site.example'));
  assert.ok(isSameHost('site.example', undefined));
  assert.ok(!isSameHost('site.example', 'other.example'));
  assert.ok(!isSameHost('site.example:8080', 'site.example'));
});
