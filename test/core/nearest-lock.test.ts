import assert from 'node:assert/strict';
import { test } from 'node:test';
import fc from 'fast-check';
import { accessOfStranger } from '../../src/core/access.js';
import { testPolicy } from '../support/policies.js';

test('two locks over one folder both decide, however the address is spelled', async () => {
  const policy = await testPolicy({ a: { covers: ['/a/'] }, b: { covers: ['/a/'] } });
  assert.deepEqual(accessOfStranger(policy, '/a;x/y', 0), { open: false, locks: ['a', 'b'] });
});

test('the index answers as going through every place one by one does', () => {
  const part = fc.constantFrom('a', 'b', 'c');
  const path = fc.array(part, { maxLength: 3 }).map((parts) => parts.map((one) => `/${one}`).join(''));
  const folder = path.map((text) => `${text}/`);
  const page = path.map((text) => text || '/index.html');
  const lock = fc.record({
    covers: fc.uniqueArray(fc.oneof(folder, page), { minLength: 1, maxLength: 3 }),
    except: fc.uniqueArray(
      fc.oneof(
        folder.filter((text) => text !== '/'),
        page,
      ),
      { maxLength: 2 },
    ),
  });
  return fc.assert(
    fc.asyncProperty(fc.array(lock, { minLength: 1, maxLength: 4 }), path, async (made, target) => {
      // A place among both would not load.
      const clean = made.map(({ covers, except }) => ({
        covers,
        except: except.filter((one) => !covers.includes(one)),
      }));
      const policy = await testPolicy(Object.fromEntries(clean.map((one, at) => [`l${at}`, one])));
      const speaks = (place: string) => {
        if (place.endsWith('/')) {
          const own = place.slice(0, -1);
          return own === '' || target === own || target.startsWith(`${own}/`) ? 2 * own.split('/').length : -1;
        }
        return (place === '/index.html' ? '' : place) === target ? 99 : -1;
      };
      const closest = (places: readonly string[]) => Math.max(-1, ...places.map(speaks));
      const covering = clean
        .map(({ covers, except }, at) => ({
          name: `l${at}`,
          by: closest(covers),
          but: closest(except),
        }))
        .filter(({ by, but }) => by >= 0 && by >= but);
      const best = Math.max(-1, ...covering.map(({ by }) => by));
      const expected = covering.filter(({ by }) => by === best).map(({ name }) => name);
      const standing = accessOfStranger(policy, target || '/', 0);
      assert.deepEqual(standing.open ? [] : standing.locks, expected);
    }),
    { numRuns: 500 },
  );
});
