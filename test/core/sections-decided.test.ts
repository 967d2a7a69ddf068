import assert from 'node:assert/strict';
import { before, describe, test } from 'node:test';
import { stranger } from '../../src/core/bypass/bypass.js';
import { decideSection, sectionsAt, splitFragment } from '../../src/core/decide-section.js';
import { newPass, type Pass } from '../../src/core/passes/pass.js';
import type { Lock, Policy } from '../../src/core/policy/types.js';
import { accessOfStranger, accessTo } from '../../src/core/access.js';
import { expectationOf } from '../../src/patrol/expectation.js';
import { testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const now = Date.parse('2026-11-25T12:00Z') / 1000;
const passwords: Record<string, string> = {
  plus: 'plover-kettle',
  twin: 'harrier-amber',
  space: 'inkwell-monday',
  key: 'gable-stone',
};
const page = '<!doctype html><title>t</title><p id=sky>the comet</p><p>the rest</p>';

/** Addresses that are read in two ways, each of which has a section with locks of its own. */
describe('a section is open once every reading of its address is, to all that ask', () => {
  let policy: Policy;
  const lock = (name: string): Lock => {
    const found = policy.locks.get(name);
    assert.ok(found);
    return found;
  };
  const passesOf = (...names: string[]): Pass[] =>
    names.map((name) => {
      const [opener] = lock(name).openers.values();
      assert.ok(opener);
      return newPass(lock(name), opener, now - 10, undefined);
    });
  before(async () => {
    policy = await testPolicy(
      {
        plus: {
          covers: ['/a+b#sky'],
          remember: '30 days',
          passwords: { pp: passwords.plus ?? '' },
          bypass: ['staff'],
        },
        twin: {
          covers: ['/a+b#sky'],
          remember: '30 days',
          passwords: { tt: passwords.twin ?? '' },
        },
        space: {
          covers: ['/a b#sky'],
          remember: '30 days',
          passwords: { ss: passwords.space ?? '' },
          requires: ['key'],
        },
        key: { covers: ['/key'], remember: '30 days', passwords: { kk: passwords.key ?? '' } },
        off: { covers: ['/a b#off'], enabled: false, passwords: { oo: 'quiet-meadow' } },
        past: { covers: ['/a b#past'], until: '2026-01-01', passwords: { qq: 'quiet-river' } },
      },
      {},
      { bypasses: { staff: { roles: ['editor'] } } },
    );
  });

  /** What the guard makes of the page for somebody who has opened locks and has roles. */
  const sentTo = async (opened: string[], roles: string[]) => {
    const identify = () => ({ person: undefined, roles, signedIn: true });
    const world = await testGuard(policy, { identify });
    world.now = now;
    const browser = world.browser();
    for (const name of opened) await browser.unlock(name, passwords[name] ?? '');
    const verdict = await browser.get('/a+b');
    assert.ok(verdict.kind === 'open' && verdict.page);
    const body = new TextEncoder().encode(page);
    const filtered = await verdict.page.filter({ status: 200, contentType: 'text/html', body });
    return new TextDecoder().decode(filtered?.kind === 'changed' ? filtered.body : body);
  };

  const cases: [who: string, opened: string[], roles: string[], isOpen: boolean, asks: string][] = [
    ['a stranger', [], [], false, 'plus'],
    ['one group of two', ['plus'], [], false, 'space'],
    ['the other of the group', ['twin'], [], false, 'space'],
    ['both, but not what one requires', ['plus', 'space'], [], false, 'key'],
    ['the second group alone', ['space', 'key'], [], false, 'plus'],
    ['all', ['twin', 'space', 'key'], [], true, ''],
    ['a bypass for one, passes for the other', ['space', 'key'], ['editor'], true, ''],
    ['a bypass for one alone', [], ['editor'], false, 'space'],
  ];
  for (const [who, opened, roles, isOpen, asks] of cases) {
    test(`${who}: ${isOpen ? 'open' : 'shut'}`, async () => {
      const visitor = { ...stranger, roles };
      const question = { passes: passesOf(...opened), visitor, now };
      const groups = sectionsAt(policy, '/a+b').get('sky') ?? [];
      const decision = decideSection(groups, question);
      assert.equal(decision.kind, isOpen ? 'let-in' : 'shut');
      if (decision.kind === 'shut') assert.deepEqual(decision.locks.map(({ name }) => name).includes(asks), true);
      // What a bypass alone opens is told as such; a pass beside it would have done.
      if (decision.kind === 'let-in') assert.equal(decision.bypass, roles.length > 0 ? 'staff' : undefined);
      for (const address of ['/a+b#sky', '/a+b?x=1#sky', '/a+b#%73ky'])
        assert.equal(accessTo(policy, address, question).open, isOpen, address);
      const expected = expectationOf(policy, now).isSectionOpen(
        '/a+b',
        { place: '/a+b#sky', lock: 'plus' },
        { passes: question.passes, visitor },
      );
      assert.equal(expected, isOpen);
      const sent = await sentTo(opened, roles);
      assert.equal(sent.includes('the comet'), isOpen);
      assert.equal(sent.includes('the rest'), true);
    });
  }

  test('locks that are off or out of time shut nothing, and a section of another name is open', () => {
    for (const id of ['off', 'past', 'Sky', 'none'])
      assert.equal(accessOfStranger(policy, `/a%20b#${id}`, now).open, true, id);
    assert.equal(accessOfStranger(policy, '/a%20b#sky', now).open, false);
    const past = sectionsAt(policy, '/a b').get('past') ?? sectionsAt(policy, '/a%20b').get('past');
    assert.deepEqual(decideSection(past ?? [], { passes: [], now }), { kind: 'open' });
    const listed = expectationOf(policy, now).sectionsOf('/a+b');
    assert.deepEqual(new Set(listed.map(({ lock: { name } }) => name)), new Set(['plus', 'twin', 'space']));
  });

  test('a lock that is open by a pass and by a bypass is open by the pass', () => {
    const question = { passes: passesOf('twin', 'space', 'key'), visitor: { ...stranger, roles: ['editor'] }, now };
    const groups = sectionsAt(policy, '/a+b').get('sky') ?? [];
    const decision = decideSection(groups, question);
    assert.equal(decision.kind === 'let-in' && decision.bypass, undefined);
  });
});

test('an address is parted from what it names of its page', () => {
  const cases: [string, string, string | undefined][] = [
    ['/a', '/a', undefined],
    ['/a#', '/a', undefined],
    ['#b', '/', 'b'],
    ['/a?q=1#b#c', '/a?q=1', 'b#c'],
    ['/a#caf%C3%A9', '/a', 'café'],
    ['/a#50%', '/a', '50%'],
  ];
  for (const [address, target, id] of cases) {
    const split = splitFragment(address);
    assert.deepEqual([split.target, split.id], [target, id]);
  }
});
