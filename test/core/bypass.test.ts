import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import type { Visitor } from '../../src/core/bypass/bypass.js';
import { decide, type Reason } from '../../src/core/decide.js';
import { newPass } from '../../src/core/passes/pass.js';
import { policyText, testPolicy } from '../support/policies.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';

const locks = {
  opening: {
    covers: ['/'],
    except: ['/index.html', '/join'],
    passwords: { oo: 'one' },
    bypass: ['staff', 'dome'],
  },
  members: {
    covers: ['/members/'],
    passwords: { aa: 'two' },
    remember: '30 days',
    bypass: ['dome'],
    requires: ['house'],
  },
  house: { covers: ['/house'], passwords: { hh: 'three' }, remember: '30 days' },
  trustees: { covers: ['/trustees/'], bypass: ['trustee'], outsiders: 'not-found' },
  team: { covers: ['/team/'], bypass: ['crew', 'away'] },
  inside: { covers: ['/inside/'], bypass: ['anyone'], requires: ['members'] },
};
const bypasses = {
  staff: { roles: ['editor', 'warden'] },
  dome: { addresses: ['203.0.113.0/24', '2001:db8:40::/48', '198.51.100.7'] },
  trustee: { roles: ['trustee'] },
  crew: { people: ['imke@kestrelmoor.example'] },
  away: { roles: ['warden'], addresses: ['192.0.2.0/24'], signedIn: true },
  anyone: { signedIn: true },
  owner: { people: ['owner@kestrelmoor.example'], everyLock: true },
};
const policy = await testPolicy(locks, {}, { bypasses });

const who = (visitor: Partial<Visitor>): Visitor => ({ roles: [], signedIn: false, ...visitor });
const imke = who({ person: 'Imke@Kestrelmoor.example', signedIn: true });

// who, address → by which bypass, or by which locks shut
const table: [string, Visitor, string, string][] = [
  ['a stranger', who({}), '/x', 'shut by opening'],
  ['an editor', who({ roles: ['editor'] }), '/x', 'staff'],
  ['somebody with another role', who({ roles: ['EDITOR', 'reader'] }), '/x', 'shut by opening'],
  [
    'an editor at a lock that does not name staff',
    who({ roles: ['editor'] }),
    '/members/',
    'shut by members',
  ],
  ['the office, v4', who({ address: '203.0.113.200' }), '/x', 'dome'],
  ['the office, v4 in v6', who({ address: '::ffff:203.0.113.200' }), '/x', 'dome'],
  ['the office, v6', who({ address: '2001:db8:40:1::9' }), '/x', 'dome'],
  ['one address', who({ address: '198.51.100.7' }), '/x', 'dome'],
  ['its neighbour', who({ address: '198.51.100.8' }), '/x', 'shut by opening'],
  ['another network', who({ address: '2001:db8:41::9' }), '/x', 'shut by opening'],
  ['no address', who({ address: undefined }), '/x', 'shut by opening'],
  ['nonsense for an address', who({ address: '203.0.113.200, 1.2.3.4' }), '/x', 'shut by opening'],
  ['a trustee', who({ roles: ['trustee'] }), '/trustees/accounts', 'trustee'],
  ['no trustee', imke, '/trustees/accounts', 'shut by trustees'],
  ['a person, in other letters', imke, '/team/', 'crew'],
  [
    'another person',
    who({ person: 'bran@kestrelmoor.example', signedIn: true }),
    '/team/',
    'shut by team',
  ],
  [
    'all conditions',
    who({ roles: ['warden'], address: '192.0.2.3', signedIn: true }),
    '/team/',
    'away',
  ],
  [
    'all but the address',
    who({ roles: ['warden'], address: '203.0.113.1', signedIn: true }),
    '/team/',
    'shut by team',
  ],
  [
    'all but the role',
    who({ roles: ['editor'], address: '192.0.2.3', signedIn: true }),
    '/team/',
    'shut by team',
  ],
  [
    'all but being signed in',
    who({ roles: ['warden'], address: '192.0.2.3' }),
    '/team/',
    'shut by team',
  ],
  [
    'one for every lock',
    who({ person: 'owner@kestrelmoor.example', signedIn: true }),
    '/team/',
    'owner',
  ],
  [
    'the same elsewhere',
    who({ person: 'owner@kestrelmoor.example', signedIn: true }),
    '/members/',
    'owner',
  ],
  [
    'the office at a lock that requires another',
    who({ address: '203.0.113.1' }),
    '/members/',
    'shut by house',
  ],
  ['somebody signed in, where two more are required', imke, '/inside/', 'shut by members'],
];

describe('a bypass lets in whom all its conditions describe, and nobody else', () => {
  for (const [name, visitor, target, expected] of table) {
    test(`${name} at ${target}: ${expected}`, () => {
      const because: Reason[] = [];
      const decision = decide(policy, { target, passes: [], visitor, now: 0 }, because);
      const said =
        decision.kind === 'let-in'
          ? decision.bypass
          : decision.kind === 'shut'
            ? `shut by ${decision.locks.map((lock) => lock.name).join(' or ')}`
            : decision.kind;
      assert.equal(said, expected);
      const applied = because.filter(
        (reason) => reason.code === 'bypass' && reason.unmet.length === 0,
      );
      assert.equal(
        applied.length > 0,
        decision.kind === 'let-in' || expected === 'shut by house' || target === '/inside/',
      );
    });
  }
});

test('what a lock requires must be open too, by a pass of its own', () => {
  const passFor = (name: string) => {
    const lock = policy.locks.get(name);
    assert.ok(lock?.passwords[0]);
    return newPass(lock, lock.passwords[0], 1000, undefined);
  };
  const kind = (...names: string[]) => {
    const decision = decide(policy, { target: '/members/', passes: names.map(passFor), now: 1000 });
    return decision.kind === 'shut' ? decision.locks.map(({ name }) => name).join() : decision.kind;
  };
  assert.equal(kind(), 'members');
  assert.equal(kind('members'), 'house');
  assert.equal(kind('house'), 'members');
  assert.equal(kind('members', 'house'), 'let-in');
});

describe('what cannot be meant is refused', async () => {
  const cases: [string, object, RegExp][] = [
    [
      'a bypass without a condition',
      { bypasses: { all: {} } },
      /bypasses\.all: a bypass without a condition would let in everybody/,
    ],
    ['one with an empty list', { bypasses: { all: { roles: [] } } }, /bypasses\.all\.roles/],
    ['signedIn: false', { bypasses: { all: { signedIn: false } } }, /signedIn/],
    [
      'a range that is none',
      { bypasses: { all: { addresses: ['10.0.0.0/33'] } } },
      /write an address or a range/,
    ],
    [
      'roles from anybody',
      { identity: { header: { from: 'everybody', roles: 'X-Roles' } } },
      /only `trustedProxies` can be believed/,
    ],
  ];
  for (const [name, rest, expected] of cases) {
    const text = await policyText({ a: { covers: ['/a'] } }, {}, rest as Record<string, unknown>);
    test(name, () => {
      assert.throws(() => readPolicyOrThrow(text, 'p'), expected);
    });
  }
  const wrongLocks: [string, Record<string, object>, RegExp][] = [
    [
      'an unknown bypass',
      { a: { covers: ['/a'], bypass: ['staff'] } },
      /locks\.a\.bypass\[0\]: there is no bypass `staff`/,
    ],
    [
      'an unknown required lock',
      { a: { covers: ['/a'], requires: ['b'] } },
      /locks\.a\.requires\[0\]: there is no lock `b`; there are: a/,
    ],
    [
      'a circle of requirements',
      { a: { covers: ['/a'], requires: ['b'] }, b: { covers: ['/b'], requires: ['a'] } },
      /cannot require itself/,
    ],
    [
      'a redirect into a lock',
      { a: { covers: ['/a/'], outsiders: { redirect: '/a/b' } } },
      /`\/a\/b` is locked itself/,
    ],
    [
      'a redirect to another site',
      { a: { covers: ['/a/'], outsiders: { redirect: '//x' } } },
      /outsiders/,
    ],
    [
      'an unknown answer',
      { a: { covers: ['/a/'], outsiders: 'hidden' } },
      /write `screen`, `not-found`/,
    ],
  ];
  for (const [name, described, expected] of wrongLocks) {
    const text = await policyText(described as Parameters<typeof policyText>[0]);
    test(name, () => {
      assert.throws(() => readPolicyOrThrow(text, 'p'), expected);
    });
  }
});
