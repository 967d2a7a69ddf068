import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { decide } from '../../src/core/decide.js';
import { newPass } from '../../src/core/passes/pass.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { formatMoment, parseMoment } from '../../src/core/windows/moment.js';
import { isWithin, readWindow } from '../../src/core/windows/window.js';
import { answered, testGuard } from '../support/guards.js';
import { cheapHash } from '../support/policies.js';

const iso = (seconds: number | undefined) =>
  seconds === undefined ? undefined : new Date(seconds * 1000).toISOString().replace(':00.000Z', 'Z');

describe('a moment is read in its zone, also when clocks change', () => {
  // text, earlier reading, later reading where it differs
  const table: [string, string | undefined, string?][] = [
    ['2026-12-01', '2026-12-01T00:00Z'],
    ['2026-07-01', '2026-06-30T23:00Z'],
    ['2026-12-01T09:00', '2026-12-01T09:00Z'],
    ['2026-07-01T09:00', '2026-07-01T08:00Z'],
    ['2026-07-01T09:00:30', '2026-07-01T08:00:30.000Z'],
    ['2026-07-01T09:00[America/New_York]', '2026-07-01T13:00Z'],
    ['2026-07-01T09:00Z', '2026-07-01T09:00Z'],
    ['2026-07-01T09:00+02:00', '2026-07-01T07:00Z'],
    ['2026-07-01T09:00+02:00[Europe/Berlin]', '2026-07-01T07:00Z'],
    ['2026-07-01T09:00Z[Europe/Berlin]', '2026-07-01T09:00Z'],
    // Skipped in Dublin: 01:00 to 02:00 on 29 March 2026.
    ['2026-03-29T01:30', '2026-03-29T01:30Z'],
    ['2026-03-29T02:30', '2026-03-29T01:30Z'],
    // Twice in Dublin: 01:00 to 02:00 on 25 October 2026.
    ['2026-10-25T01:30', '2026-10-25T00:30Z', '2026-10-25T01:30Z'],
    ['2026-10-25T01:30+00:00[Europe/Dublin]', '2026-10-25T01:30Z'],
    ['2026-10-25T01:30+01:00[Europe/Dublin]', '2026-10-25T00:30Z'],
    // Offset and zone disagree.
    ['2026-07-01T09:00+05:00[Europe/Berlin]', undefined],
    ['2026-13-01', undefined],
    ['2026-02-30', undefined],
    ['2026-12-01T25:00', undefined],
    ['2026-12-01T09:00[Mars/Olympus]', undefined],
    ['tomorrow', undefined],
    ['2026-12-01 09:00', undefined],
  ];
  for (const [text, earlier, later = earlier] of table) {
    test(text, () => {
      assert.equal(iso(parseMoment(text, 'Europe/Dublin', 'earlier')), earlier);
      assert.equal(iso(parseMoment(text, 'Europe/Dublin', 'later')), later);
    });
  }
  test('and written again', () => {
    const text = '2026-07-01T09:00[Europe/Dublin]';
    assert.equal(formatMoment(parseMoment(text, 'UTC', 'earlier') ?? 0, 'Europe/Dublin'), text);
  });
});

test('in the hour that occurs twice, a lock counts for longer and a password for less long', () => {
  const twice = { from: '2026-10-25T01:30', until: '2026-10-26' };
  const until = { until: '2026-10-25T01:30' };
  const between = Date.UTC(2026, 9, 25, 1, 0) / 1000;
  const counts = (written: object, purpose: 'shuts' | 'opens') => {
    const window = readWindow(written, 'Europe/Dublin', purpose);
    return !('problem' in window) && isWithin(window, between);
  };
  assert.equal(counts(twice, 'shuts'), true);
  assert.equal(counts(twice, 'opens'), false);
  assert.equal(counts(until, 'shuts'), true);
  assert.equal(counts(until, 'opens'), false);
});

const hash = await cheapHash('one');
const policyOf = (members: string) => `dorlin: 1
site: { name: Test, timeZone: Europe/Dublin }
locks:
  all: { covers: [/], passwords: [{ id: oo, label: All, hash: "${hash}" }] }
  members:
    covers: [/members/]
    remember: 90 days
${members}
bypasses:
  crew: { roles: [crew], from: 2026-12-01, until: 2026-12-31 }
`;
const policy = readPolicyOrThrow(
  policyOf(`    from: 2026-12-01
    until: 2027-01-15
    bypass: [crew]
    passwords: [{ id: aa, label: A, hash: "${hash}", from: 2026-12-10, until: 2026-12-20 }]`),
  'p',
);
const at = (text: string) => parseMoment(text, 'Europe/Dublin', 'earlier') ?? NaN;

describe('what has a window counts in it and not outside', () => {
  const lock = policy.locks.get('members');
  assert.ok(lock?.passwords[0]);
  const pass = newPass(lock, lock.passwords[0], at('2026-11-30'), undefined);
  const crew = { roles: ['crew'], signedIn: false };
  // when → who decides over a stranger; whether a pass counts; whether the crew is let in
  const table: [string, string, boolean, boolean][] = [
    ['2026-11-30T23:59', 'all', false, false],
    ['2026-12-01', 'members', false, true],
    ['2026-12-09T23:59', 'members', false, true],
    ['2026-12-10', 'members', true, true],
    ['2026-12-19T23:59', 'members', true, true],
    ['2026-12-20', 'members', false, true],
    ['2026-12-31', 'members', false, false],
    ['2027-01-14T23:59', 'members', false, false],
    ['2027-01-15', 'all', false, false],
  ];
  for (const [when, decides, passCounts, crewPasses] of table) {
    test(when, () => {
      const question = { target: '/members/', passes: [], now: at(when) };
      const decision = decide(policy, question);
      assert.equal(decision.kind === 'shut' && decision.locks[0]?.name, decides);
      assert.equal(decide(policy, { ...question, passes: [pass] }).kind === 'let-in', passCounts);
      assert.equal(decide(policy, { ...question, visitor: crew }).kind === 'let-in', crewPasses);
    });
  }
  test('a password outside its window is a wrong one, and a pass from inside it ends with it', async () => {
    const world = await testGuard(policy);
    const visitor = world.browser();
    world.now = at('2026-12-09');
    assert.equal(answered(await visitor.unlock('members', 'one', '/members/')).status, 403);
    world.now = at('2026-12-19');
    assert.equal(answered(await visitor.unlock('members', 'one', '/members/')).status, 303);
    assert.equal((await visitor.get('/members/')).kind, 'let-in');
    world.now = at('2026-12-20');
    assert.equal((await visitor.get('/members/')).kind, 'answer');
  });
});

test('closed until a day: 503, when to come again, and the day in words', async () => {
  const closed = readPolicyOrThrow(policyOf('    until: 2027-01-15\n    outsiders: closed'), 'p');
  const world = await testGuard({ ...closed, site: { ...closed.site } });
  world.now = at('2027-01-14');
  const { status, headers, body } = answered(await world.browser().get('/members/'));
  assert.equal(status, 503);
  assert.equal(headers['retry-after'], '86400');
  assert.match(body, /It opens on <time datetime="2027-01-15T00:00:00.000Z">January 15, 2027<\/time>\./);
  world.now = at('2027-01-15');
  assert.match(answered(await world.browser().get('/members/')).body, /name="lock" value="all"/);
});

test('windows that cannot be meant are refused', () => {
  assert.throws(
    () => readPolicyOrThrow(policyOf('    until: soon'), 'p'),
    /locks\.members\.until: this is no moment: write/,
  );
  assert.throws(
    () => readPolicyOrThrow(policyOf('    from: 2027-01-01\n    until: 2026-01-01'), 'p'),
    /p:9:5 +locks\.members\.until: it ends before it begins/,
  );
});
