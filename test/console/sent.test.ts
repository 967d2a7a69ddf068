import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { ConsoleAnswers } from '../../src/console/results.js';
import { sent } from '../../src/console/sent.js';

const imke = { id: 'k3v9', name: 'Imke', role: 'owner', locks: [], since: '2026-11-01T09:00:00Z' } as const;

test('nothing leaves that the type of an answer does not name, however deep it lies', () => {
  const hash = '$argon2id$v=19$m=19456,t=2,p=1$c2FsdA$aGFzaA';
  const people = sent('people', { people: [{ ...imke, ...{ hash } }], invites: [], ...{ secret: 'grey heron' } });
  assert.deepEqual(people, { people: [imke], invites: [] });

  const standsOut = [
    {
      kind: 'guess-flood',
      text: 'Many guess.',
      mend: 'Wait.',
      tries: 90,
      networks: 2,
      opened: 0,
      lock: 'members',
      from: 1,
      until: 2,
      hash,
    },
  ];
  const log = { isKept: true, days: [], locks: [], openers: [], standsOut, entries: [], events: 0 };
  const { standsOut: left } = sent('journal', log as never);
  assert.deepEqual(
    Object.keys(left[0] ?? {}).sort(),
    Object.keys(standsOut[0] ?? {})
      .filter((key) => key !== 'hash')
      .sort(),
    'in one of several shapes too',
  );
});

test('what is no answer of its type is not sent', () => {
  const cases: readonly [keyof ConsoleAnswers, unknown, RegExp][] = [
    ['people', { people: [{ ...imke, role: 'admin' }], invites: [] }, /people\[0\]\.role/],
    ['people', { people: [{ ...imke, name: undefined }], invites: [] }, /people\[0\]\.name/],
    ['walk', { addresses: Number.NaN, isCutShort: false }, /addresses/],
    ['people', undefined, /people/],
  ];
  for (const [name, given, said] of cases) {
    assert.throws(() => sent(name, given as never), said, JSON.stringify(given));
  }
});
