import assert from 'node:assert/strict';
import { test } from 'node:test';
import { parseForwarded } from '../../src/core/bypass/forwarded.js';
import { visitorAddress } from '../../src/core/bypass/address.js';
import { readListing } from '../../src/core/crawlers/listing.js';
import { carryChanges } from '../../src/core/policy/carry.js';
import { targetReader } from '../../src/core/places/canonical.js';
import { normalTarget } from '../../src/core/places/request-target.js';
import { cutPage, type Cuts } from '../../src/core/sections/cut.js';
import { readPolicy } from '../../src/core/policy/read.js';
import { NestedTooDeeply } from '../../src/core/sections/watching-parser.js';
import { readCredentials } from '../../src/guard/answers/basic.js';
import { readCookies } from '../../src/guard/visit/cookies.js';

/** Seconds of the processor that work takes; the least of several, as the machine does other things. */
function cost(work: () => unknown): number {
  let least = Infinity;
  for (let times = 0; times < 5; times++) {
    const start = process.cpuUsage();
    work();
    const { user, system } = process.cpuUsage(start);
    least = Math.min(least, (user + system) / 1e6);
  }
  return least;
}

const read = targetReader({
  indexFiles: ['index.html'],
  extensions: ['.html'],
  caseSensitive: false,
});
const visit = (headers: Record<string, string>) => ({
  method: 'GET',
  target: '/',
  headers,
  encrypted: false,
});
const cuts: Cuts = {
  ids: new Map(),
  marks: new Map([['a', { lock: 'a', kind: 'hidden' }]]),
};
/** A page that is nested too deeply is not read on. */
const cutFrom = (text: string) => {
  try {
    return cutPage(text, cuts, { unlock: '/u', script: '/s' });
  } catch (error) {
    if (error instanceof NestedTooDeeply) return undefined;
    throw error;
  }
};
const policyOf = (locks: object) => JSON.stringify({ dorlin: 1, site: { name: 'x' }, locks }, null, 1);
const numbered = (count: number, of: (at: number) => unknown) =>
  Object.fromEntries(Array.from({ length: count }, (_, at) => [`l${at}`, of(at)]));

/** By what is read: makes it of a size, and the largest size that is tried. */
const readers: Record<string, [(size: number) => unknown, number]> = {
  'changes carried from one policy into another': [
    (size) => {
      const text = (from: number) =>
        policyOf({ a: { covers: Array.from({ length: size }, (_, at) => `/p${at + from}`), except: ['/x'] } });
      return carryChanges(text(0), text(Math.ceil(size / 2)), text(0).replace('/x', '/y'), 'p');
    },
    2000,
  ],
  'dots and spaces in an address': [(size) => read(`/${'%20.'.repeat(size)}x`), 1000],
  'parameters in an address': [(size) => read(`/${'a;'.repeat(size)}`), 2000],
  'endings in an address': [(size) => read(`/${'.html'.repeat(size)}`), 800],
  'encoded slashes in an address': [(size) => read(`/${'%2f'.repeat(size)}`), 1300],
  'files in an address': [(size) => read(`/${'a.b/'.repeat(size)}`), 127],
  'letters in an address': [(size) => read(`/${'%CC%81'.repeat(size)}`), 680],
  'a long query': [(size) => normalTarget(`/?${'%41"'.repeat(size)}`), 16_000],
  'spaces in Forwarded': [(size) => parseForwarded(`${' '.repeat(size)}x`), 8000],
  'spaces behind a pair in Forwarded': [(size) => parseForwarded(`a=b${' '.repeat(size)}x`), 8000],
  'quotes in Forwarded': [(size) => parseForwarded(`a="${'\\"'.repeat(size)}`), 4000],
  'hops in X-Forwarded-For': [
    (size) => visitorAddress('127.0.0.1', { forwardedFor: '127.0.0.1,'.repeat(size) }, ['127.0.0.0/8']),
    1600,
  ],
  'spaces in credentials': [(size) => readCredentials(visit({ authorization: `Basic ${' '.repeat(size)}!` })), 16_000],
  cookies: [(size) => readCookies(visit({ cookie: 'dorlin=;'.repeat(size) }), false, 0), 2000],
  'elements in a feed': [(size) => readListing(`<feed>${'<a>'.repeat(size)}`, 'http://x/', false), 20_000],
  'elements in an entry': [
    (size) => readListing(`<feed><entry>${'<a>'.repeat(size)}${'</a>'.repeat(size)}`, 'http://x/', false),
    20_000,
  ],
  'comments in a feed': [
    (size) => readListing(`<feed>${'<!-- /a -->'.repeat(size)}</feed>`, 'http://x/', false),
    10_000,
  ],
  'entries that go': [
    (size) => {
      const text = `<urlset>\n${'  <url><loc>http://x/a</loc></url>\n'.repeat(size)}</urlset>`;
      const listing = readListing(text, 'http://x/', true);
      return typeof listing === 'object' && listing.without(() => true, 'http://x/');
    },
    8000,
  ],
  'sections of a page': [(size) => cutFrom('<p data-dorlin-lock="a">x</p>'.repeat(size)), 4000],
  'sections of a page, each in the one before': [(size) => cutFrom('<div data-dorlin-lock="a">'.repeat(size)), 4000],
  'sections deep in a page': [
    (size) => cutFrom('<div>'.repeat(size) + '<p data-dorlin-lock="a">x</p>'.repeat(size)),
    4000,
  ],
  'tags in noscript': [
    (size) => cutFrom(`<noscript>${'<div>'.repeat(size)}${'<p data-dorlin-lock="a">'.repeat(size)}</noscript>`),
    4000,
  ],
  'unmatched tags in a page': [
    (size) => cutFrom(`<p data-dorlin-lock="a">${'<div>'.repeat(size)}${'</p>'.repeat(size)}`),
    8000,
  ],
  'unknown keys in a policy': [(size) => readPolicy(policyOf(numbered(size, () => ({ x: 1 })))), 500],
  'unknown keys in a lock': [
    (size) => readPolicy(policyOf({ a: { covers: ['/'], ...numbered(size, () => 1) } })),
    2000,
  ],
  'locks of the same places': [
    (size) => readPolicy(policyOf(numbered(size, () => ({ covers: Array(200).fill('/p') })))),
    91,
  ],
  'wrong places': [(size) => readPolicy(policyOf({ a: { covers: Array.from({ length: size }, () => 'x') } })), 4000],
  'places left out': [
    (size) =>
      readPolicy(
        policyOf({
          a: { covers: ['/'], except: Array.from({ length: size }, (_, at) => `/p${at}`) },
        }),
      ),
    4000,
  ],
};

for (const [what, [work, most]] of Object.entries(readers)) {
  test(`four times as much takes about four times as long: ${what}`, () => {
    work(most);
    // What is next to nothing may grow as it likes.
    const floor = 0.004;
    const small = Math.max(
      cost(() => work(Math.floor(most / 4))),
      floor,
    );
    const large = cost(() => work(most));
    assert.ok(large / small < 9, `${small} s, then ${large} s`);
  });
}
