import assert from 'node:assert/strict';
import { test } from 'node:test';

test('the built package gives under each of its names what the sources do', async () => {
  const entries: [() => Promise<object>, () => Promise<object>][] = [
    [() => import('dorlin'), () => import('../../src/index.js')],
    [() => import('dorlin/node'), () => import('../../src/node.js')],
  ];
  for (const [built, source] of entries) {
    const names = Object.keys(await source());
    assert.equal(names.length > 5, true);
    assert.deepEqual(Object.keys(await built()), names);
  }
});
