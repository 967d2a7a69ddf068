import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { accessOfStranger } from '../../src/core/access.js';
import { readPolicy } from '../../src/core/policy/read.js';
import { testPolicy, policyText } from '../support/policies.js';

const now = 1_800_000_000;
const passwords = { pp: 'plover-kettle' };
/** Which of these addresses strangers get, under one lock or several. */
async function openOf(locks: Parameters<typeof testPolicy>[0], ...targets: string[]) {
  const policy = await testPolicy(locks);
  return targets.filter((target) => accessOfStranger(policy, target, now).open);
}

describe('what a lock leaves out', () => {
  test('by a pattern that begins a name, and nothing that only holds or ends with it', async () => {
    const locks = { pics: { covers: ['/pics/'], except: ['/pics/open-*'], passwords } };
    const targets = [
      '/pics/open-day',
      '/pics/open-',
      '/pics/xopen-day',
      '/pics/open',
      '/pics/closed',
      '/pics/open-day/raw',
    ];
    assert.deepEqual(await openOf(locks, ...targets), ['/pics/open-day', '/pics/open-']);
  });
  test('by a pattern that ends a name, has a middle, or a folder', async () => {
    const covers = ['/p/'];
    const at = (except: string, ...targets: string[]) =>
      openOf({ p: { covers, except: [except], passwords } }, ...targets);
    assert.deepEqual(await at('/p/*-open', '/p/a-open', '/p/a-open2', '/p/open'), ['/p/a-open']);
    assert.deepEqual(await at('/p/a*b*c', '/p/abc', '/p/axbxc', '/p/abbc', '/p/acb', '/p/abcb', '/p/ac'), [
      '/p/abc',
      '/p/axbxc',
      '/p/abbc',
    ]);
    assert.deepEqual(await at('/p/a*b*b*c', '/p/axbxc', '/p/abbc', '/p/axbybzc'), ['/p/abbc', '/p/axbybzc']);
    // What begins and ends a name must not be the same letters.
    assert.deepEqual(await at('/p/aba*aba', '/p/aba', '/p/ababa', '/p/abaaba'), ['/p/abaaba']);
    assert.deepEqual(await at('/p/*/open/', '/p/a/open/b', '/p/a/open', '/p/a/b/open', '/p/open'), [
      '/p/a/open/b',
      '/p/a/open',
    ]);
    assert.deepEqual(await at('/p/**/open', '/p/open', '/p/a/b/open', '/p/a/b/open/c'), ['/p/open', '/p/a/b/open']);
  });
});

describe('the closer of two places decides', () => {
  test('a folder before a folder pattern of the same depth, and the deeper before either', async () => {
    // What is left out of the closer place is open, whatever the other covers.
    const lock = (covers: string[], except: string[] = []) => ({ covers, except, passwords });
    const decided = async (locks: Parameters<typeof testPolicy>[0], target: string) => {
      const standing = accessOfStranger(await testPolicy(locks), target, now);
      return standing.open ? 'open' : standing.locks.join();
    };
    const literal = lock(['/albums/may/']);
    assert.equal(await decided({ pattern: lock(['/albums/*/']), literal }, '/albums/may/1'), 'literal');
    assert.equal(await decided({ literal, pattern: lock(['/albums/*/']) }, '/albums/june/1'), 'pattern');
    assert.equal(await decided({ literal, deep: lock(['/*/*/proofs/']) }, '/albums/may/proofs/1'), 'deep');
    assert.equal(await decided({ literal, deep: lock(['/*/']) }, '/albums/may/1'), 'literal');
    assert.equal(await decided({ literal, page: lock(['/**/1']) }, '/albums/may/1'), 'page');
    assert.equal(await decided({ page: lock(['/**/1']), own: lock(['/albums/may/1']) }, '/albums/may/1'), 'own');
    assert.equal(await decided({ site: lock(['/']), pattern: lock(['/albums/*/']) }, '/albums/may/1'), 'pattern');
  });
});

describe('a place that could be read in two ways is refused, with what to write instead', () => {
  const cases: [string, RegExp][] = [
    ['/pics/*%2f', /has a character that a pattern cannot have/],
    ['/pics/a;*', /has a character that a pattern cannot have/],
    ['/pics\\a*', /has a character that a pattern cannot have/],
    ['/pics/../*', /has a character that a pattern cannot have/],
    ['/pics/./a*', /has a character that a pattern cannot have/],
    ['/pics/a\u007f*', /has a character that a pattern cannot have/],
    ['/pics/a**', /stands for whole parts/],
    ['/**/', /would be the whole site: write `\/`/],
    ['/*/a.html', /compared without their ending/],
    ['/*/index.html', /compared without their ending/],
    ['pics/', /begins with a slash: write `\/pics\/`/],
    ['./pics/', /write `\/pics\/`/],
    ['/pics?a', /has no query/],
    ['/pics/#', /the id of an element, without spaces/],
    ['/pics#a b', /the id of an element, without spaces/],
    ['/pics/*#a', /a section is of one page/],
    ['/a%2fb', /several ways|for certain/],
    ['/a/../b', /several ways|for certain/],
  ];
  for (const [place, expected] of cases) {
    test(place, async () => {
      const reading = readPolicy(await policyText({ one: { covers: [place], passwords } }));
      const problems = reading.ok ? [] : reading.problems;
      assert.match(problems.map(({ message }) => message).join(), expected);
    });
  }
});

test('what stands before a query, a dot or nothing, does not open what is locked', async () => {
  const locks = { members: { covers: ['/members/log', '/members/rota/'], passwords } };
  const targets = [
    '/members/log.?x',
    '/members/log.%3fx',
    '/members/log./?x',
    '/members/log?.x',
    '/members/log.html.?',
    '/members/rota.?x',
    '/members/rota/.?x',
    '/members/rota/index.?x',
    '/members/rota/%20?x',
  ];
  assert.deepEqual(await openOf(locks, ...targets), []);
});
