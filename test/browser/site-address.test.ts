import assert from 'node:assert/strict';
import { test } from 'node:test';
import { siteAddress } from '../../src/browser/unseal/site-address.js';

test('no path in a sealed site leads to another host', () => {
  for (const base of ['https://k.example/', 'https://k.example/moor/']) {
    for (const to of [
      '/\\evil.example',
      '//evil.example',
      '/\\\\evil.example/x',
      '/\t/evil.example',
      '/ //evil',
      '/http://evil',
      '/javascript:x',
    ]) {
      assert.ok(siteAddress(to, new URL(base)).startsWith(base), to);
    }
    assert.equal(siteAddress('/members/log?x=1#y', new URL(base)), `${base}members/log?x=1#y`);
  }
});
