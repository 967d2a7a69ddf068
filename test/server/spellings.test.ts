import assert from 'node:assert/strict';
import { test } from 'node:test';
import fc from 'fast-check';
import { accessOfStranger } from '../../src/core/access.js';
import { targetOf } from '../../src/server/site-files.js';
import { policyText, type TestLock } from '../support/policies.js';
import { seededRandom } from '../support/random.js';
import { rawClient } from '../support/raw-http.js';
import { runSite } from '../support/sites.js';
import { spell, trickNames } from '../support/spellings.js';

const part = fc.constantFrom('a', 'b', 'members', 'café', 'press');
const folder = fc.array(part, { maxLength: 3 });
const file = fc
  .tuple(folder, fc.constantFrom('index.html', 'about.html', 'log.csv', 'index', 'a', 'x.html'))
  .map(([names, name]) => [...names, name].join('/'));
const place = fc.oneof(
  folder.map((names) => `/${names.map((name) => `${name}/`).join('')}`),
  fc
    .tuple(folder, fc.constantFrom('about', 'log.csv', 'x', 'index.html'))
    .map(([names, name]) => `/${[...names, name].join('/')}`),
  fc.constantFrom('/**/*.csv', '/*/members/', '/a/*'),
);
const lock = fc.record({
  covers: fc.uniqueArray(place, { minLength: 1, maxLength: 3 }),
  except: fc.uniqueArray(place, { maxLength: 2 }),
});

test('no spelling of a locked address gives its content away', async () => {
  let spelled = 0;
  let shut = 0;
  const seen = new Set<string>();
  await fc.assert(
    fc.asyncProperty(
      fc.uniqueArray(file, { minLength: 4, maxLength: 12 }),
      fc.array(lock, { minLength: 1, maxLength: 3 }),
      fc.integer(),
      async (names, locks, seed) => {
        // A file cannot be a folder too.
        const clean = names.filter((name) => !names.some((other) => other.startsWith(`${name}/`)));
        const canary = (name: string) => `<<canary of ${name}>>`;
        const files = Object.fromEntries(clean.map((name) => [name, canary(name)]));
        const described = locks.map(({ covers, except }, at): [string, TestLock] => [
          `lock${at}`,
          { covers, except: except.filter((one) => one !== '/' && !covers.includes(one)) },
        ]);
        const site = await runSite(files, await policyText(Object.fromEntries(described)));
        const client = rawClient(site.port);
        const random = seededRandom(seed);
        try {
          const locked = clean.filter((name) => !accessOfStranger(site.guard.policy(), targetOf(`/${name}`), 0).open);
          shut += locked.length;
          for (let count = 0; count < 60; count++) {
            const path = targetOf(`/${clean[random.below(clean.length)] ?? ''}`);
            const { target, by } = spell(path, random);
            const method = ['GET', 'GET', 'GET', 'POST', 'OPTIONS'][random.below(5)];
            const { status, body } = await client.request(
              target,
              method,
              random.chance() ? { range: 'bytes=0-200' } : {},
            );
            const text = Buffer.from(body, 'latin1').toString('utf8');
            for (const name of locked) {
              assert.ok(
                !text.includes(canary(name)),
                `${target} gave ${name} away with ${status}, by ${by.join(', ')}`,
              );
            }
            by.forEach((name) => seen.add(name));
            spelled++;
          }
        } finally {
          client.close();
          await site.close();
        }
      },
    ),
    { numRuns: 80 },
  );
  assert.equal(spelled, 80 * 60);
  assert.ok(shut > 80, `${shut} locked files`);
  assert.equal(seen.size, trickNames.length, 'every trick was tried');
});
