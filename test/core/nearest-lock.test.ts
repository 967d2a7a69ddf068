import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import { standingOf } from '../../src/core/policy/review.js';
import { testPolicy, type TestLock } from '../support/policies.js';

const locks: Record<string, TestLock> = {
  opening: { covers: ['/'], except: ['/index.html', '/contact', '/open/'] },
  members: { covers: ['/members/'], except: ['/members/join', '/members/new/'] },
  gallery: { covers: ['/members/gallery/'] },
  board: { covers: ['/members/gallery/', '/minutes'] },
  papers: { covers: ['/**/*.pdf'] },
  proofs: { covers: ['/albums/*/proofs/'] },
  wedding: { covers: ['/albums/ann-and-bo/'], except: ['/albums/ann-and-bo/*.jpg'] },
  off: { covers: ['/members/log'], enabled: false },
  page: { covers: ['/members/new/secret'] },
};

// address → the locks that decide, or open
const table: [string, string][] = [
  ['/', 'open'],
  ['/index.html', 'open'],
  ['/contact', 'open'],
  ['/contact/below', 'opening'],
  ['/open/', 'open'],
  ['/open/a/b', 'open'],
  ['/about', 'opening'],
  ['/members', 'members'],
  ['/members/', 'members'],
  ['/MEMBERS/index.html', 'members'],
  ['/members.html', 'members'],
  ['/membership', 'opening'],
  ['/members/a/b/c', 'members'],
  // An exception takes a place out of its own lock; the one further out still holds.
  ['/members/join', 'opening'],
  ['/members/new/x', 'opening'],
  ['/members/new/secret', 'page'],
  ['/members/new/secret/x', 'opening'],
  // Two locks that name a place alike: either opens it.
  ['/members/gallery/', 'gallery or board'],
  ['/members/gallery/x', 'gallery or board'],
  ['/minutes', 'board'],
  ['/minutes/x', 'opening'],
  // A lock that is off is as if it were not there.
  ['/members/log', 'members'],
  // A page pattern names a page more closely than a folder does, and less than the page itself.
  ['/members/handbook.pdf', 'papers'],
  ['/a.pdf', 'papers'],
  ['/a.pdf/x', 'opening'],
  ['/albums/x/proofs/', 'proofs'],
  ['/albums/x/proofs/1', 'proofs'],
  ['/albums/x', 'opening'],
  ['/albums/ann-and-bo/', 'wedding'],
  ['/albums/ann-and-bo/proofs/1', 'proofs'],
  ['/albums/ann-and-bo/1.jpg', 'opening'],
  // Every reading must be open: the strictest decides.
  ['/contact;x', 'opening'],
  ['/members;x/log', 'opening'],
  ['//x/members/log', 'opening'],
  ['/open%2f..%2fmembers', 'refused'],
  ['/contact%2fbelow', 'opening'],
];

describe('the nearest lock decides', () => {
  for (const [target, expected] of table) {
    test(`${target}: ${expected}`, async () => {
      const standing = standingOf(await testPolicy(locks), target, 0);
      const said = standing.open ? 'open' : standing.locks.join(' or ') || 'refused';
      assert.equal(said, expected);
    });
  }
});

test('two locks over one folder both decide, however the address is spelled', async () => {
  const policy = await testPolicy({ a: { covers: ['/a/'] }, b: { covers: ['/a/'] } });
  assert.deepEqual(standingOf(policy, '/a;x/y', 0), { open: false, locks: ['a', 'b'] });
});

test('the index answers as going through every place one by one does', () => {
  const part = fc.constantFrom('a', 'b', 'c');
  const path = fc
    .array(part, { maxLength: 3 })
    .map((parts) => parts.map((one) => `/${one}`).join(''));
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
          return own === '' || target === own || target.startsWith(`${own}/`)
            ? 2 * own.split('/').length
            : -1;
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
      const standing = standingOf(policy, target || '/', 0);
      assert.deepEqual(standing.open ? [] : standing.locks, expected);
    }),
    { numRuns: 500 },
  );
});
