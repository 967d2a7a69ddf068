import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { parse } from 'yaml';
import { carryChanges } from '../../src/core/policy/carry.js';

const salt = '$argon2id$v=19$m=8,t=1,p=1$c2FsdHNhbHRzYWx0$';
const hash = (letter: string) => `"${salt}${letter.repeat(43)}"`;
const base = `dorlin: 1
site: { name: S, languages: [en, fr] } # ours
locks:
  a: { covers: [/a/], except: [/a/x], remember: visit, passwords: [{ id: p1, label: One, hash: ${hash('A')} }] }
  b: { covers: [/b/] } # second
bypasses:
  o: { addresses: [203.0.113.7] }
`;
const put = (text: string, ...changes: readonly (readonly [string, string])[]) =>
  changes.reduce((left, [from, to]) => {
    assert.ok(left.includes(from), from);
    return left.replace(from, to);
  }, text);

describe('changes are carried by what the keys mean', () => {
  const a = ['covers: [/a/]', 'covers: [/a/, /c/]'] as const;
  const b = ['covers: [/b/]', 'covers: [/b/], remember: 9 days'] as const;
  const end = ['bypasses:', '  c: { covers: [/new/] }\nbypasses:'] as const;
  const cases: readonly [string, string, string, string | readonly string[]][] = [
    ['neighbours', put(base, a), put(base, b), put(base, a, b)],
    ['both add a place', put(base, a), put(base, ['[/a/]', '[/a/, /d/]']), put(base, ['[/a/]', '[/a/, /d/, /c/]'])],
    [
      'one takes a place out, one adds one',
      put(base, ['covers: [/b/]', 'covers: []']),
      put(base, ['[/b/]', '[/b/, /e/]']),
      put(base, ['[/b/]', '[/e/]']),
    ],
    ['the same on both sides', put(base, a), put(base, a), put(base, a)],
    [
      'both add a lock',
      put(base, end),
      put(base, ['bypasses:', '  d: { covers: [/d/] }\nbypasses:']),
      put(base, ['bypasses:', '  d: { covers: [/d/] }\n  c: { covers: [/new/] }\nbypasses:']),
    ],
    [
      'a lock is ended',
      put(base, ['  b: { covers: [/b/] } # second\n', '']),
      put(base, a),
      put(base, a, ['  b: { covers: [/b/] } # second\n', '']),
    ],
    [
      'a password goes here and one comes there',
      put(base, [`[{ id: p1, label: One, hash: ${hash('A')} }]`, '[]']),
      put(base, [`${hash('A')} }]`, `${hash('A')} }, { id: p2, label: Two, hash: ${hash('B')} }]`]),
      put(base, [`{ id: p1, label: One, hash: ${hash('A')} }`, `{ id: p2, label: Two, hash: ${hash('B')} }`]),
    ],
    [
      'settings of the site',
      put(base, ['name: S', 'name: T']),
      put(base, ['[en, fr]', '[en, fr, de]']),
      put(base, ['name: S', 'name: T'], ['[en, fr]', '[en, fr, de]']),
    ],
    [
      'two values for one key',
      put(base, ['remember: visit', 'remember: 1 day']),
      put(base, ['remember: visit', 'remember: 2 days']),
      ['locks.a.remember'],
    ],
    [
      'a lock is ended that is changed',
      put(base, ['  b: { covers: [/b/] } # second\n', '']),
      put(base, b),
      ['locks.b'],
    ],
    [
      'a lock is changed that is ended',
      put(base, b),
      put(base, ['  b: { covers: [/b/] } # second\n', '']),
      ['locks.b.remember'],
    ],
    [
      'one password is changed in two ways',
      put(base, ['label: One', 'label: 1']),
      put(base, ['label: One', 'label: I']),
      ['locks.a.passwords'],
    ],
    ['an order that counts', put(base, ['[en, fr]', '[fr, en]']), put(base, ['[en, fr]', '[en]']), ['site.languages']],
  ];
  for (const [name, ours, theirs, wanted] of cases) {
    test(name, () => {
      const carried = carryChanges(base, ours, theirs, 'p');
      if (typeof wanted !== 'string') assert.deepEqual(carried, { ok: false, places: wanted });
      else {
        assert.ok(carried.ok);
        assert.deepEqual(parse(carried.text), parse(wanted));
        assert.match(carried.text, /# ours/);
      }
    });
  }
  test('what would be wrong together is refused', () => {
    const ours = put(base, ['bypasses:', '  c: { covers: [/new/], requires: [b] }\nbypasses:']);
    const theirs = put(base, ['  b: { covers: [/b/] } # second\n', '']);
    assert.throws(() => carryChanges(base, ours, theirs, 'p'), { code: 'edit-refused' });
  });
});
