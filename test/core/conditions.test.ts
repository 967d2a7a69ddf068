import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { addressBits, firstAddress, isInRanges, maskAddress } from '../../src/core/bypass/address.js';
import { stranger, unmetConditions, type Bypass } from '../../src/core/bypass/bypass.js';
import { decideSection, sectionsAt } from '../../src/core/decide-section.js';
import { lockToAsk } from '../../src/core/decide.js';
import { isKnownAt, knownAtToo } from '../../src/core/passes/known-browser.js';
import { parsePhc } from '../../src/core/passwords/phc.js';
import { accessOfStranger } from '../../src/core/access.js';
import { testPolicy } from '../support/policies.js';

const now = 1_800_000_000;

test('a bypass holds where all of its conditions do, and any one of each list', () => {
  const bypass = (given: Partial<Bypass>): Bypass => ({
    name: 'x',
    window: {},
    everyLock: false,
    ribbon: false,
    ...given,
  });
  const unmet = (given: Partial<Bypass>, visitor: Partial<typeof stranger>, at = now) =>
    unmetConditions(bypass(given), { ...stranger, ...visitor }, at).join();
  const people = ['imke@kestrelmoor.example', 'Tam@kestrelmoor.example'];
  assert.equal(unmet({ people }, { person: 'imke@kestrelmoor.example' }), '');
  assert.equal(unmet({ people }, { person: 'TAM@kestrelmoor.example' }), '');
  assert.equal(unmet({ people }, { person: 'am@kestrelmoor.example' }), 'person');
  assert.equal(unmet({ people }, {}), 'person');
  const roles = ['editor', 'warden'];
  assert.equal(unmet({ roles }, { roles: ['guest', 'warden'] }), '');
  assert.equal(unmet({ roles }, { roles: ['Warden', 'guest'] }), 'role');
  const addresses = ['203.0.113.0/24', '2001:db8::/48'];
  assert.equal(unmet({ addresses }, { address: '2001:db8::1' }), '');
  assert.equal(unmet({ addresses }, { address: undefined }), 'address');
  assert.equal(unmet({ signedIn: true }, { signedIn: true }), '');
  assert.equal(unmet({ signedIn: true }, {}), 'signed-in');
  assert.equal(
    unmet({ people, roles, addresses, signedIn: true, window: { until: now } }, {}),
    'address,role,person,signed-in,time',
  );
  assert.equal(unmet({ people, roles }, { person: people[0], roles: [] }), 'role');
  assert.equal(unmet({ window: { until: now } }, {}, now - 1), '');
});

describe('addresses', () => {
  test('lie in a range of their own kind, or are the one that is named', () => {
    const cases: [string | undefined, string[], boolean][] = [
      ['192.0.2.7', ['192.0.2.7'], true],
      ['192.0.2.8', ['192.0.2.7'], false],
      ['2001:db8::7', ['2001:db8::7'], true],
      ['2001:db8::8', ['2001:db8::7'], false],
      ['2001:db8:1::7', ['2001:db8::7'], false],
      ['::ffff:192.0.2.7', ['192.0.2.0/24'], true],
      ['192.0.2.7', ['::/0'], false],
      ['::1', ['0.0.0.0/0'], false],
      ['192.0.2.7', ['198.51.100.0/24', '192.0.2.0/24'], true],
      ['192.0.2.7', [], false],
      [undefined, ['0.0.0.0/0'], false],
      ['', ['0.0.0.0/0'], false],
      ['unknown', ['0.0.0.0/0', '::/0'], false],
      ['192.0.2', ['0.0.0.0/0'], false],
      ['0x7f.1', ['127.0.0.0/8'], false],
    ];
    for (const [address, ranges, expected] of cases)
      assert.equal(isInRanges(address, ranges), expected, `${address ?? 'none'} ${ranges.join()}`);
  });
  test('are told without the part that is of one household', () => {
    const cases: [string | undefined, string][] = [
      ['192.0.2.77', '192.0.2.0/24'],
      ['2001:db8:1:2::77', '2001:db8:1::/48'],
      ['::ffff:192.0.2.77', '192.0.2.0/24'],
      [undefined, 'unknown'],
      ['none', 'unknown'],
    ];
    for (const [address, masked] of cases) assert.equal(maskAddress(address), masked);
  });
  test('ranges say how large and how near they are, and where they begin', () => {
    const about = (range: string) => Object.values(addressBits(range)).join();
    assert.equal(about('192.0.2.7'), 'ipv4,32,false');
    assert.equal(about('2001:db8::7'), 'ipv6,128,false');
    assert.equal(about('10.0.0.0/8'), 'ipv4,8,true');
    assert.equal(about('fd00::/8'), 'ipv6,8,true');
    assert.equal(about('127.0.0.1'), 'ipv4,32,true');
    assert.equal(firstAddress('203.0.113.77/24'), '203.0.113.0');
    assert.equal(firstAddress('2001:db8::77/48'), '2001:db8::');
    assert.equal(firstAddress('203.0.113.77'), '203.0.113.77');
  });
});

test('a browser is known at a lock by what opens it now', async () => {
  const policy = await testPolicy({
    one: { covers: ['/one/'], passwords: { aa: 'a', bb: 'b' } },
    two: { covers: ['/two/'], passwords: { aa: 'a' } },
  });
  const [one, two] = [...policy.locks.values()];
  const opener = one?.openers.get('aa');
  const other = one?.openers.get('bb');
  assert.equal([one, two, opener, other].includes(undefined), false);
  const mark = (opener as { mark: string }).mark;
  const atOne = knownAtToo(undefined, one!, opener!, () => 'fresh');
  assert.deepEqual(atOne, { id: 'fresh', locks: [`one aa ${mark}`] });
  const atBoth = knownAtToo(atOne, two!, two!.openers.get('aa')!, () => 'another');
  assert.equal(atBoth.id, 'fresh');
  assert.equal(atBoth.locks.length, 2);
  assert.equal(isKnownAt(atBoth, one!, now) && isKnownAt(atBoth, two!, now), true);
  assert.equal(isKnownAt(atOne, two!, now), false);
  // By the newest alone: what was retired must not count again because of an older cookie.
  const anew = knownAtToo(atBoth, one!, other!, () => 'x');
  assert.equal(anew.locks.filter((name) => name.startsWith('one ')).length, 1);
  assert.equal(isKnownAt({ id: 'x', locks: ['one aa other'] }, one!, now), false);
  assert.equal(isKnownAt({ id: 'x', locks: ['one cc'] }, one!, now), false);
  const ended = { ...one!, openers: new Map([['aa', { ...opener!, window: { until: now } }]]) };
  assert.equal(isKnownAt(atOne, ended, now), false);
  assert.equal(isKnownAt(atOne, ended, now - 1), true);
});

test('hashes whose cost is out of bounds are none', () => {
  const phc = (m: number, t: number, p: number) =>
    parsePhc(`$argon2id$v=19$m=${m},t=${t},p=${p}$${'c'.repeat(22)}$${'h'.repeat(43)}`) !== undefined;
  const fine: [number, number, number][] = [
    [8, 1, 1],
    [1_048_576, 16, 16],
    [128, 1, 16],
  ];
  for (const cost of fine) assert.equal(phc(...cost), true, cost.join());
  const wrong: [number, number, number][] = [
    [7, 1, 1],
    [127, 1, 16],
    [1_048_577, 1, 1],
    [8, 17, 1],
    [256, 1, 17],
    [8, 0, 1],
    [8, 1, 0],
    [0, 1, 0],
  ];
  for (const cost of wrong) assert.equal(phc(...cost), false, cost.join());
});

test('of two locks that name a place alike both count, by whatever they name it', async () => {
  const passwords = { pp: 'plover' };
  const pairs: [string, string][] = [
    ['/a/*', '/*/b'],
    ['/a/*/', '/*/*/'],
    ['/a/b', '/a/b.html'],
    ['/a/b/', '/a/b/'],
    ['/', '/'],
  ];
  for (const [first, second] of pairs) {
    const policy = await testPolicy({
      first: { covers: [first] },
      second: { covers: [second], passwords },
    });
    const standing = accessOfStranger(policy, '/a/b', now);
    assert.deepEqual(standing.open ? [] : standing.locks, ['first', 'second'], `${first} ${second}`);
    // What can be asked for is asked for.
    assert.equal(lockToAsk([...policy.locks.values()]).name, 'second');
  }
  assert.throws(() => lockToAsk([]));
});

test('one section on one page is a section', async () => {
  const policy = await testPolicy({ walk: { covers: ['/e#walk'], passwords: { pp: 'plover' } } });
  const locks = sectionsAt(policy, '/e.html').get('walk') ?? [];
  assert.equal(decideSection(locks, { passes: [], now }).kind, 'shut');
  assert.equal(sectionsAt(policy, '/%zz').size, 0);
});
