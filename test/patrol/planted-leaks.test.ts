import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { patrol } from '../../src/patrol/patrol.js';
import { noRecord } from '../../src/patrol/record.js';
import { startFlawed, type Flaws } from '../support/flawed-site.js';

/** Flaw → the finding that it is, and where. */
const planted: Readonly<Record<string, readonly [code: string, where: string]>> = {
  'search-index': ['words-in-search-index', '/search.json'],
  terms: ['words-in-search-index', '/terms.js'],
  'feed-words': ['words-in-feed', '/feed.xml'],
  'feed-names': ['feed-names-locked', '/feed.xml'],
  sitemap: ['sitemap-names-locked', '/sitemap.xml'],
  robots: ['robots-names-locked', '/robots.txt'],
  'hidden-named': ['hidden-is-named', '/about'],
  description: ['words-in-description', '/about'],
  card: ['words-in-preview-card', '/visit'],
  'json-ld': ['words-in-json-ld', '/news'],
  'page-data': ['words-in-page-data', '/archive'],
  'page-data-file': ['words-in-page-data', '/page-data/log.json'],
  'data-file': ['words-in-data-file', '/calendar.ics'],
  script: ['words-in-script', '/assets/app.js'],
  packed: ['words-in-script', '/assets/packed.js'],
  'source-map': ['words-in-source-map', '/assets/app.js.map'],
  style: ['words-in-style', '/assets/site.css'],
  'behind-prompt': ['words-in-style', '/assets/late.css'],
  comment: ['words-in-comment', '/contact'],
  'hidden-part': ['words-in-hidden-part', '/contact'],
  attribute: ['words-in-attribute', '/contact'],
  teaser: ['words-on-open-page', '/news'],
  'file-copy': ['file-copy-open', '/downloads/leaflet.pdf'],
  'picture-copy': ['picture-copy-open', '/pictures/card.jpg'],
  'file-beside': ['file-beside-open', '/pictures/beside.png'],
  'page-beside': ['page-beside-open', '/beside'],
  copy: ['copy-open', '/letter.html.bak'],
  companion: ['companion-opens', '/letter.data'],
  'ledger-open': ['open-to-strangers', '/ledger/'],
  'child-open': ['child-open', '/barn/deep'],
  section: ['section-open', '/talks#room'],
  'screen-holds': ['screen-holds-page', '/minutes/'],
  spelling: ['spelling-opens', '/MEMBERS/'],
  query: ['query-opens', '/members/?print=1'],
  post: ['method-opens', '/members/'],
  range: ['range-opens', '/members/'],
  conditional: ['conditional-opens', '/members/'],
  header: ['header-opens', '/'],
  host: ['host-opens', '/members/'],
  'search-engine': ['search-engine-gets-in', '/members/'],
  'feed-reader': ['feed-reader-gets-in', '/members/'],
  'forged-address': ['forged-address-opens', '/members/'],
  'forged-identity': ['forged-identity-opens', '/members/'],
  'forged-cookie': ['forged-cookie-opens', '/members/'],
  'wrong-opens': ['wrong-password-opens', '/hut/'],
  'ended-opens': ['ended-password-opens', '/barn/'],
  'other-guest': ['other-guest-gets-in', '/loft/'],
  'forged-link': ['forged-link-opens', '/desk/'],
  'wrong-basic': ['wrong-credentials-open', '/desk/'],
  reopened: ['reopened-keeps-open', '/desk/'],
  leave: ['leave-keeps-open', '/vault/'],
  cached: ['cached-copy-open', '/vault/deep'],
  cacheable: ['cache-may-keep', '/vault/'],
  cors: ['other-sites-may-read', '/vault/'],
  'guest-out': ['guest-kept-out', '/cellar/'],
  'asked-again': ['guest-asked-again', '/minutes/deep'],
  elsewhere: ['guest-lands-elsewhere', '/attic/'],
  'returning-out': ['returning-kept-out', '/shed/'],
  'link-out': ['link-kept-out', '/tower/'],
  'no-basic': ['credentials-kept-out', '/tower/'],
  'open-closed': ['open-is-closed', '/hours'],
  unsaid: ['wrong-password-unsaid', '/shed/'],
  'screen-kept': ['screen-may-be-kept', '/shed/'],
  'screen-indexed': ['screen-may-be-indexed', '/shed/'],
};

async function patrolled(has: Flaws) {
  const site = await startFlawed(has);
  try {
    const result = await patrol({
      url: site.url,
      policy: site.policy,
      keys: site.keys,
      files: [],
      from: undefined,
      limits: { pages: 5000, until: Date.now() + 120_000, atOnce: 6 },
      pause: 0,
      skip: ['lock-does-not-count'],
      record: noRecord,
      now: Date.now() / 1000,
      onProgress: () => undefined,
    });
    const pairs = result.findings.flatMap(({ code, cases }) => cases.map(({ where }) => `${code} ${where}`));
    return { result, pairs };
  } finally {
    site.close();
  }
}

describe('a site with planted leaks', () => {
  test('each is found where it is, and called what it is', async () => {
    const { result, pairs } = await patrolled(() => true);
    const missed = Object.entries(planted).filter(([, pair]) => !pairs.includes(pair.join(' ')));
    assert.deepEqual(missed, []);
    // Nothing is called what it is not.
    const codes = new Set(Object.values(planted).map(([code]) => code));
    assert.deepEqual(
      [...new Set(result.findings.map(({ code }) => code))].filter((code) => !codes.has(code)),
      [],
    );
    const named = result.findings.find(({ code }) => code === 'words-in-source-map');
    assert.match(named?.cases[0]?.words ?? '', /^[A-Z][a-z]+( [a-z]+){11}$/);
  });

  test('mended, nothing is found at all', async () => {
    const { result, pairs } = await patrolled(() => false);
    assert.deepEqual(pairs, []);
    assert.equal(result.left, 0);
    // Every lock was walked as a guest but those that nobody can open.
    assert.deepEqual(
      result.notPlayed.map(({ role, lock }) => `${role} ${lock}`),
      ['guest board', 'address '],
    );
  });
});
