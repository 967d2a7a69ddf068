import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { skipBrowser } from '../support/browser.js';
import { attackDocuments, attackPages } from '../attack/on-pages.js';

describe('sections, compared with Chromium', { skip: skipBrowser }, () => {
  // The same pages each time, so that a failure is the change's own; others with SEED=….
  const seed = Number(process.env['SEED'] ?? 7);
  const until = Infinity;

  test('what Chromium holds in a locked element is gone, and nothing else is', async () => {
    const { tried, found, about } = await attackPages({ most: 160, until, seed });
    assert.deepEqual(found, []);
    assert.equal(tried, 160);
    const [, cut = 0, shut = 0] = /^(\d+) cut, (\d+) shut/.exec(about)?.map(Number) ?? [];
    assert.equal(cut > 20 && shut > 20, true, about);
  });

  test('of real pages, the rest is byte for byte as it was', async () => {
    const attack = attackDocuments(['examples/observatory/dist']);
    const { tried, found, about } = await attack({ most: 24, until, seed });
    assert.deepEqual(found, []);
    assert.equal(tried, 24);
    assert.equal(about, '0 shut as a whole');
  });
});
