import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { policyText } from '../support/policies.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';

describe('what cannot be meant is refused', async () => {
  const cases: [string, object, RegExp][] = [
    [
      'a bypass without a condition',
      { bypasses: { all: {} } },
      /bypasses\.all: a bypass without a condition would let in everybody/,
    ],
    ['one with an empty list', { bypasses: { all: { roles: [] } } }, /bypasses\.all\.roles/],
    ['signedIn: false', { bypasses: { all: { signedIn: false } } }, /signedIn/],
    ['a range that is none', { bypasses: { all: { addresses: ['10.0.0.0/33'] } } }, /write an address or a range/],
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
      'a redirect into a lock by its whole address',
      { a: { covers: ['/a/'], outsiders: { redirect: 'https://site.example/x/../a/b' } } },
      /a\/b` is locked itself/,
    ],
    ['a redirect to another site', { a: { covers: ['/a/'], outsiders: { redirect: '//x' } } }, /outsiders/],
    ['an unknown answer', { a: { covers: ['/a/'], outsiders: 'hidden' } }, /write `screen`, `not-found`/],
  ];
  for (const [name, described, expected] of wrongLocks) {
    const text = await policyText(described as Parameters<typeof policyText>[0], {
      origin: 'https://site.example',
    });
    test(name, () => {
      assert.throws(() => readPolicyOrThrow(text, 'p'), expected);
    });
  }
});
