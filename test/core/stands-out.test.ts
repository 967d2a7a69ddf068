import assert from 'node:assert/strict';
import { test } from 'node:test';
import type { JournalEntry, JournalType } from '../../src/core/journal/entry.js';
import { standOutText, standsOut } from '../../src/core/journal/stands-out.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';

const now = Date.parse('2026-11-25T12:00:00Z') / 1000;
const day = 86_400;
const hash = '$argon2id$v=19$m=19456,t=2,p=1$c2FsdHNhbHRzYWx0c2FsdA$yqyrMHEW1Z8rW6Dz0H0v5QyIA2u6k3oHn2kZ9J1mH0g';
const policy = readPolicyOrThrow(
  `
dorlin: 1
site: { name: Kestrelmoor }
locks:
  members: { covers: [/members/], passwords: [{ id: k3v9, label: Season 2026, hash: "${hash}" }] }
  shut: { covers: [/shut/], outsiders: closed }
`,
  'dorlin.yaml',
);

const entry = (type: JournalType, ago: number, more: Partial<JournalEntry> = {}): JournalEntry => ({
  at: new Date((now - ago) * 1000).toISOString(),
  type,
  lock: 'members',
  ...more,
});
const many = (count: number, make: (at: number) => JournalEntry) => Array.from({ length: count }, (_, at) => make(at));
const used = (ago: number, from: string) => entry('unlocked', ago, { opener: 'k3v9', label: 'Season 2026', from });
const ordered = (entries: readonly JournalEntry[]) => [...entries].sort((one, other) => (one.at < other.at ? -1 : 1));
const kinds = (entries: readonly JournalEntry[]) => standsOut(ordered(entries), policy, now).map(({ kind }) => kind);
const text = (entries: readonly JournalEntry[]) =>
  standsOut(ordered(entries), policy, now).map((one) => standOutText(one, 'Europe/Dublin'));

test('a flood of wrong tries is told with its time, its networks and what came of it', () => {
  const flood = many(64, (at) => entry('wrong', 2 * day + at * 60, { from: `192.0.${at % 3}.0` }));
  assert.deepEqual(kinds(flood), ['guess-flood']);
  assert.deepEqual(text(flood), [
    '64 wrong tries at members between 23 Nov, 10:57 and 23 Nov, 12:00, from 3 networks; none opened it.',
  ]);
  // Spread over a boundary of hours it is one flood, and of two the last is told.
  const [, ...later] = text([...flood, ...many(40, (at) => entry('wrong', 3600 + at))]);
  assert.deepEqual(later, []);
  assert.deepEqual(kinds(many(29, (at) => entry('wrong', day + at))), []);
  // Where as many are right, people mistype: nobody guesses.
  assert.deepEqual(
    kinds([...many(40, (at) => entry('wrong', day + at)), ...many(9, (at) => used(day + at * 4 + 2, '192.0.2.0'))]),
    [],
  );
  assert.deepEqual(kinds(flood.map((one) => ({ ...one, at: new Date((now - 9 * day) * 1000).toISOString() }))), []);
});

test('a password that comes from many more networks than ever before has got around', () => {
  const before = many(12, (at) => used(4 * day + at * day, `192.0.${at % 2}.0`));
  const lately = many(20, (at) => used(at * 3000, `198.51.${at}.0`));
  assert.deepEqual(text([...before, ...lately]), [
    'The password Season 2026 of members was used from 20 networks within three days, and from 2 at most in as many days before: it seems to have got around.',
  ]);
  // Handed out just now, it comes from wherever those are who have it.
  assert.deepEqual(kinds(lately), []);
  assert.deepEqual(kinds([...before, ...lately.map((one) => ({ ...one, from: undefined }))]), []);
  const busy = many(400, (at) => used(4 * day + at * 3600, `203.0.${at % 30}.0`));
  assert.deepEqual(kinds([...busy, ...lately]), []);
});

test('a password that nobody has used for a month is told, where the journal goes back so far', () => {
  assert.deepEqual(text([used(40 * day, '192.0.2.0')]), [
    'Nobody has used the password Season 2026 of members since 16 October.',
  ]);
  assert.deepEqual(kinds([entry('asked', 31 * day)]), ['password-unused']);
  assert.deepEqual(kinds([entry('asked', 29 * day)]), []);
  assert.deepEqual(kinds([]), []);
  assert.deepEqual(kinds([used(40 * day, '192.0.2.0'), used(day, '192.0.2.0')]), []);
});

test('a lock that many meet in vain is told, but not one that is closed on purpose', () => {
  const met = many(60, (at) => entry('asked', at * 600));
  assert.deepEqual(text([...met, entry('wrong', 60)]), [
    '60 visits met members within a week and nobody got in; 1 typed a wrong password.',
  ]);
  assert.deepEqual(kinds([...met, used(100, '192.0.2.0'), used(90, '192.0.2.0')]), []);
  assert.deepEqual(kinds(many(60, (at) => entry('closed', at, { lock: 'shut' }))), []);
  assert.deepEqual(kinds(many(60, (at) => entry('asked', at, { lock: 'gone' }))), []);
});
