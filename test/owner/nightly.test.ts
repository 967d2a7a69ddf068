import assert from 'node:assert/strict';
import { mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { describe, test } from 'node:test';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import type { Letter } from '../../src/core/site-ports.js';
import { failedNight, keepPatrol, patrolStanding } from '../../src/owner/patrol/kept-patrols.js';
import { nightWatch, type Nights } from '../../src/owner/patrol/nightly.js';
import { scheduleOf } from '../../src/owner/patrol/schedule.js';
import type { PatrolFinding } from '../../src/patrol/finding.js';
import type { PatrolResult } from '../../src/patrol/patrol.js';
import { startMailServer } from '../support/mail-server.js';
import { temporaryFolder } from '../support/sites.js';

const leak: PatrolFinding = {
  code: 'file-beside-open',
  severity: 'leak',
  place: '/files/plan.pdf',
  lock: 'members',
  cases: [{ where: '/files/plan.pdf', how: 'is open', words: 'SECRET WORDS' }],
};
const result = (findings: readonly PatrolFinding[], more: Partial<PatrolResult> = {}): PatrolResult => ({
  origin: 'http://127.0.0.1:4280',
  site: 'Kestrelmoor',
  startedAt: Date.parse('2026-11-25T03:00:00Z') / 1000,
  seconds: 12,
  addresses: 40,
  left: 0,
  untried: 0,
  requests: 300,
  bytes: 1,
  walk: { addresses: 40, seconds: 2 },
  walked: [],
  rows: [],
  findings,
  notPlayed: [],
  ...more,
});
const about = { url: 'http://127.0.0.1:4280/', by: 'hand', isStopped: false } as const;

/** A folder with a policy, and what keeps its nights. */
async function nights(patrol: string, more: Partial<Nights> = {}) {
  const { folder, remove } = await temporaryFolder();
  const policyFile = join(folder, 'dorlin.yaml');
  const text = `dorlin: 1\nsite: { name: Kestrelmoor, timeZone: Europe/Dublin }\npatrol: ${patrol}\n`;
  await writeFile(policyFile, text);
  const world = {
    now: Date.parse('2026-11-24T20:00:00Z') / 1000,
    ran: 0,
    letters: [] as Letter[],
    failed: [] as string[],
  };
  const policy = readPolicyOrThrow(text, policyFile);
  const watch = () =>
    nightWatch({
      policyFile,
      policy: () => policy,
      url: about.url,
      clock: () => world.now,
      send: (letter) => {
        world.letters.push(letter);
        return Promise.resolve();
      },
      onFailed: (problem) => world.failed.push(problem),
      run: (file) => {
        world.ran++;
        return keepPatrol(file, result([leak]), { ...about, by: 'night' });
      },
      ...more,
    });
  return { world, watch, policyFile, remove, at: (text_: string) => (world.now = Date.parse(text_) / 1000) };
}

describe('the patrol of every night', () => {
  test('runs once a night at its time in the zone of the site, and writes where something leaks', async () => {
    const { world, watch, at, remove } = await nights('{ nightly: "03:00", mail: [imke@kestrelmoor.example] }');
    const night = watch();
    for (const [time, ran] of [
      ['2026-11-25T02:59:30Z', 0],
      ['2026-11-25T03:00:10Z', 1],
      ['2026-11-25T03:00:40Z', 1],
      ['2026-11-25T23:59:00Z', 1],
      // A clock that leaves the minute out.
      ['2026-11-26T03:07:00Z', 2],
    ] as const) {
      at(time);
      await night.look();
      assert.equal(world.ran, ran, time);
    }
    const [first] = world.letters;
    assert.equal(first?.to, 'imke@kestrelmoor.example');
    assert.match(first.subject, /Kestrelmoor: one thing leaks/);
    assert.match(first.text, /\/files\/plan\.pdf/);
    assert.doesNotMatch(first.text, /SECRET/);
    night.close();
    await remove();
  });

  test('does not make up for a night that was over before it began, nor run where none is wished', async () => {
    const day = await nights('{ nightly: "03:00" }');
    day.at('2026-11-25T10:00:00Z');
    const late = day.watch();
    await late.look();
    assert.equal(day.world.ran, 0);
    day.at('2026-11-26T03:00:00Z');
    await late.look();
    assert.equal(day.world.ran, 1);
    assert.deepEqual(day.world.letters, []);
    late.close();
    const none = await nights('{}');
    const off = none.watch();
    none.at('2026-11-26T03:00:00Z');
    await off.look();
    assert.equal(none.world.ran, 0);
    off.close();
    await Promise.all([day.remove(), none.remove()]);
  });

  test('a time that has passed is for the next night; who cannot be reached keeps nobody from being told', async () => {
    const sent: string[] = [];
    const { world, watch, at, policyFile, remove } = await nights(
      '{ nightly: "03:00", mail: [a@k.example, b@k.example] }',
      {
        send: ({ to }) => {
          if (to === 'a@k.example') return Promise.reject(new Error('no such box'));
          sent.push(to);
          return Promise.resolve();
        },
      },
    );
    at('2026-11-25T03:30:00Z');
    const night = watch();
    at('2026-11-25T03:30:30Z');
    await night.look();
    assert.equal(world.ran, 0);
    at('2026-11-26T03:00:00Z');
    await night.look();
    assert.deepEqual([world.ran, sent, world.failed], [1, ['b@k.example'], ['no such box']]);
    assert.deepEqual(await failedNight(policyFile), { at: '2026-11-26T03:00:00.000Z', problem: 'no such box' });
    night.close();
    await remove();
  });

  test('a night that came to nothing is kept until the next patrol, so that it is not taken for a good one', async () => {
    let isAway = true;
    const { world, watch, at, policyFile, remove } = await nights('{ nightly: "03:00" }', {
      run: (file) =>
        isAway
          ? Promise.reject(new Error('nobody answers there'))
          : keepPatrol(file, result([]), { ...about, by: 'night' }),
    });
    const night = watch();
    at('2026-11-25T03:00:10Z');
    await night.look();
    assert.deepEqual(world.failed, ['nobody answers there']);
    assert.match((await failedNight(policyFile))?.problem ?? '', /nobody answers/);
    isAway = false;
    at('2026-11-26T03:00:10Z');
    await night.look();
    assert.equal(await failedNight(policyFile), undefined);
    night.close();
    await remove();
  });

  test('its letter goes by the policy’s own mail server', async (context) => {
    const { letters, url, close } = await startMailServer();
    context.after(close);
    const mail = `mail: { from: dorlin@kestrelmoor.example, server: "${url}" }`;
    const patrol = `{ nightly: "03:00", mail: [imke@kestrelmoor.example] }\n${mail}`;
    const { world, watch, at, remove } = await nights(patrol, { send: undefined });
    const watching = watch();
    at('2026-11-25T03:00:10Z');
    await watching.look();
    watching.close();
    assert.deepEqual(world.failed, []);
    assert.match(letters.join(), /^imke@kestrelmoor\.example\n[^]*From: dorlin@kestrelmoor\.example[^]*plan\.pdf/);
    assert.doesNotMatch(letters.join(), /SECRET WORDS/);
    await remove();
  });

  test('one that is under way when the server ends is ended with it', async () => {
    let stop: AbortSignal | undefined;
    const { watch, at, remove } = await nights('{ nightly: "03:00" }', {
      run: (file, order) => {
        stop = order.stop;
        return keepPatrol(file, result([]), { ...about, by: 'night' });
      },
    });
    const night = watch();
    at('2026-11-25T03:00:00Z');
    await night.look();
    night.close();
    assert.equal(stop?.aborted, true);
    await remove();
  });

  test('one that fails is told, and the next night it runs again', async () => {
    let fails = true;
    const { world, watch, at, remove } = await nights('{ nightly: "03:00" }', {
      run: (file) =>
        fails
          ? Promise.reject(new Error('the site does not answer'))
          : keepPatrol(file, result([]), { ...about, by: 'night' }),
    });
    const night = watch();
    at('2026-11-25T03:00:00Z');
    await night.look();
    assert.deepEqual(world.failed, ['the site does not answer']);
    fails = false;
    at('2026-11-26T03:00:00Z');
    await night.look();
    assert.equal(world.failed.length, 1);
    night.close();
    await remove();
  });
});

describe('patrols that are kept', () => {
  test('are compared with the one before; what was not looked at is not said to be gone', async () => {
    const { folder, remove } = await temporaryFolder();
    const file = join(folder, 'dorlin.yaml');
    assert.equal(await patrolStanding(file), undefined);
    await keepPatrol(file, result([leak]), about);
    const first = await patrolStanding(file);
    assert.deepEqual([first?.last.leaks, first?.before, first?.last.groups[0]?.isNew], [1, undefined, false]);
    const other = { ...leak, place: '/files/rota.csv', cases: [{ where: '/files/rota.csv', how: 'is open' }] };
    await keepPatrol(file, result([other]), about);
    const second = await patrolStanding(file);
    assert.deepEqual([second?.last.groups[0]?.isNew, second?.gone.length], [true, 1]);
    await keepPatrol(file, result([]), { ...about, isStopped: true });
    assert.deepEqual((await patrolStanding(file))?.gone, []);
    await keepPatrol(file, result([], { untried: 3 }), about);
    assert.deepEqual((await patrolStanding(file))?.gone, []);
    // A walk over another site has nothing to do with it.
    await keepPatrol(file, result([leak]), { ...about, url: 'https://kestrelmoor.example/' });
    assert.equal((await patrolStanding(file))?.before, undefined);
    await remove();
  });

  test('one that cannot be read is none', async () => {
    const { folder, remove } = await temporaryFolder();
    await mkdir(join(folder, '.dorlin/patrols'), { recursive: true });
    for (const text of ['{', '{"at": 1}', '[]']) {
      await writeFile(join(folder, '.dorlin/patrols/last.json'), text);
      assert.equal(await patrolStanding(join(folder, 'dorlin.yaml')), undefined);
    }
    await remove();
  });
});

test('lines for cron and systemd keep what is special in an address or a path', () => {
  const { cron, systemd } = scheduleOf('https://k.example/a%20b', "/srv/Imke's site/dorlin.yaml", '03:05');
  assert.equal(
    cron,
    "5 3 * * * npx dorlin patrol 'https://k.example/a\\%20b' --policy '/srv/Imke'\\''s site/dorlin.yaml' --no-ask --keep",
  );
  assert.match(systemd.service, /"https:\/\/k\.example\/a%%20b" "--policy" "\/srv\/Imke's site\/dorlin\.yaml"/);
  assert.match(systemd.timer, /OnCalendar=\*-\*-\* 03:05:00/);
  for (const time of ['3:05', '24:00', '03:60', '', '03:05; rm'])
    assert.throws(() => scheduleOf('https://k.example', 'dorlin.yaml', time), { code: 'time-invalid' });
});
