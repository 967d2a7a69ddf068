import assert from 'node:assert/strict';
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { appendFile, mkdir, readdir, readFile, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { fileURLToPath } from 'node:url';
import { entryOf, readEntry } from '../../src/core/journal/entry.js';
import { summarize } from '../../src/core/journal/summary.js';
import { fileJournal, followJournal, readJournal } from '../../src/stores/journal-file.js';
import { loadPolicy } from '../../src/stores/policy-file.js';
import { policyText, testPolicy } from '../support/policies.js';
import { runSite, temporaryFolder, until } from '../support/sites.js';

const writer = fileURLToPath(new URL('journal-writer.ts', import.meta.url));
const day = 86_400;
const locks = { members: { covers: ['/members/'], passwords: { aa: 'owl' } } };
const event = { type: 'unlocked', lock: 'members', opener: 'aa', label: 'AA', address: '192.0.2.0/24' } as const;

describe('the journal as files', () => {
  let folder: string;
  let remove: () => Promise<void>;
  before(async () => {
    ({ folder, remove } = await temporaryFolder());
  });
  after(() => remove());
  /** A policy of its own in a folder of its own. */
  const fresh = async (name: string, journal: object = {}) => {
    const file = join(folder, name, 'dorlin.yaml');
    await mkdir(join(folder, name), { recursive: true });
    await writeFile(file, await policyText(locks, {}, { journal }));
    return {
      file,
      policy: await loadPolicy(file),
      lines: join(folder, name, '.dorlin/journal.jsonl'),
    };
  };

  test('one file a day, those that are too old deleted, and nobody else may read them', async () => {
    const { file, policy, lines } = await fresh('days', { keep: '3 days' });
    let now = Date.UTC(2026, 10, 20, 12) / 1000;
    for (let turn = 0; turn < 6; turn++, now += day) {
      // As after a restart, on every other day.
      const journal = fileJournal(
        file,
        () => policy,
        undefined,
        () => now,
      );
      journal.note(event);
      await journal.settled();
      now += 3600 * 14;
      journal.note({ ...event, type: 'entered' });
      await journal.settled();
      now -= 3600 * 14;
    }
    const names = (await readdir(join(folder, 'days/.dorlin'))).filter((name) => name.endsWith('jsonl')).sort();
    assert.deepEqual(names, [
      'journal.2026-11-23.jsonl',
      'journal.2026-11-24.jsonl',
      'journal.2026-11-25.jsonl',
      'journal.jsonl',
    ]);
    const entries = await readJournal(lines, 3 * day, now);
    assert.ok(entries.every(({ at }) => Date.parse(at) / 1000 >= now - 3 * day));
    assert.deepEqual(
      entries,
      [...entries].sort((one, other) => (one.at < other.at ? -1 : 1)),
    );
    assert.equal((await stat(lines)).mode & 0o777, 0o600);
  });

  test('several processes write, one is killed, and no line that was written is lost', async () => {
    const { file, lines } = await fresh('many');
    const start = (name: string, most: string) => {
      const child = spawn(process.execPath, ['--import', 'tsx', writer, file, name, most], {
        stdio: ['ignore', 'pipe', 'inherit'],
      });
      let told = -1;
      child.stdout.on('data', (data: Buffer) => {
        told = Number(data.toString().trim().split('\n').at(-1));
      });
      return { child, told: () => told, exited: once(child, 'exit') };
    };
    const killed = start('killed', '100000');
    const others = [start('one', '300'), start('two', '300')];
    await until(() => killed.told() >= 200);
    killed.child.kill('SIGKILL');
    await Promise.all([killed, ...others].map(({ exited }) => exited));
    const entries = await readJournal(lines, day);
    const count = (name: string) => entries.filter(({ label = '' }) => label.startsWith(`${name}-`)).length;
    assert.equal(count('one'), 300);
    assert.equal(count('two'), 300);
    assert.ok(count('killed') > killed.told());
    const raw = (await readFile(lines, 'utf8')).split('\n').filter((line) => line !== '');
    assert.equal(raw.length, entries.length, 'no line is torn');
  });

  test('a line that a crash has cut off is passed over, and the next one is whole', async () => {
    const { file, policy, lines } = await fresh('torn');
    const first = fileJournal(file, () => policy);
    first.note(event);
    await first.settled();
    await appendFile(lines, '{"at":"2026-11-');
    const second = fileJournal(file, () => policy);
    second.note(event);
    await second.settled();
    assert.equal((await readJournal(lines, day)).length, 2);
  });

  test('a flood is counted, not written down', async () => {
    const { file, policy, lines } = await fresh('flood');
    let now = 1_800_000_000;
    const journal = fileJournal(
      file,
      () => policy,
      undefined,
      () => now,
    );
    for (let count = 0; count < 1000; count++) journal.note(event);
    now += 60;
    journal.note(event);
    // What the owner's own patrol does keeps nothing of visitors out.
    for (let count = 0; count < 1000; count++) journal.note({ ...event, patrol: true });
    journal.note(event);
    await journal.settled();
    const all = await readJournal(lines, day, now);
    const entries = all.filter(({ patrol }) => patrol !== true);
    assert.equal(entries.length, 603);
    assert.equal(all.length, 1203);
    assert.deepEqual(entries.find(({ type }) => type === 'skipped')?.count, 400);
  });

  test('what cannot be written is told once, and stops nobody', async () => {
    const { file, policy } = await fresh('wrong', { file: 'dorlin.yaml/journal.jsonl' });
    const problems: string[] = [];
    const journal = fileJournal(
      file,
      () => policy,
      (problem) => problems.push(problem),
    );
    for (let count = 0; count < 3; count++) {
      journal.note(event);
      await journal.settled();
    }
    assert.equal(problems.length, 1);
  });

  test('following tells of new lines, over a new day as well', async () => {
    const { file, policy, lines } = await fresh('follow');
    let now = Date.UTC(2026, 10, 20, 23) / 1000;
    const journal = fileJournal(
      file,
      () => policy,
      undefined,
      () => now,
    );
    journal.note({ ...event, label: 'before' });
    await journal.settled();
    const told: string[] = [];
    const stop = await followJournal(lines, (entries) => told.push(...entries.map(({ label = '' }) => label)));
    journal.note({ ...event, label: 'one' });
    await until(() => told.length === 1);
    now += 7200;
    journal.note({ ...event, label: 'two' });
    await until(() => told.length === 2);
    await stop();
    assert.deepEqual(told, ['one', 'two']);
  });

  test('no password, token, query or whole address is ever in it, and it is never served', async () => {
    const site = await runSite(
      { 'index.html': 'x', 'members/a.html': 'x' },
      await policyText(locks, { trustedProxies: ['127.0.0.1'] }, { journal: { file: 'site/j.jsonl' } }),
    );
    const secret = 'canary-secret-7';
    const send = (path: string, init: RequestInit = {}) =>
      fetch(site.url + path, {
        redirect: 'manual',
        ...init,
        headers: { 'x-forwarded-for': '203.0.113.77', authorization: `Bearer ${secret}`, cookie: `dorlin=${secret}` },
      });
    await send(`/members/a?token=${secret}`);
    await send(`/members/a;session=${secret}`);
    await send(`/members/%00${secret}`);
    await send(`/_dorlin/enter?link=${secret}`);
    for (const password of [secret, 'owl']) {
      const body = new URLSearchParams({ lock: 'members', password, to: `/members/a?q=${secret}` });
      await send('/_dorlin/unlock', { method: 'POST', body });
    }
    await send('/_dorlin/leave', { method: 'POST' });
    const file = join(site.folder, 'site/j.jsonl');
    await until(async () => (await readFile(file, 'utf8').catch(() => '')).includes('"left"'));
    const text = await readFile(file, 'utf8');
    for (const type of ['asked', 'refused', 'dead-link', 'wrong', 'unlocked', 'left']) {
      assert.ok(text.includes(`"${type}"`), type);
    }
    assert.doesNotMatch(text, /canary|203\.0\.113\.77|owl|[?;]/);
    assert.match(text, /203\.0\.113\.0\/24/);
    await writeFile(join(site.folder, 'site/j.2026-11-01.jsonl'), 'x');
    await writeFile(join(site.folder, 'site/new.txt'), 'x');
    await until(async () => (await send('/new.txt')).status === 200);
    for (const path of ['/j.jsonl', '/j.2026-11-01.jsonl']) {
      assert.equal((await send(path)).status, 404, path);
    }
    await site.close();
  });
});

describe('entries and their sums', () => {
  test('addresses can be left out, and whatever else is told does not get in', () => {
    const told = { ...event, message: 'a secret', password: 'x', path: '/a;b=1' } as typeof event;
    assert.deepEqual(entryOf(told, new Date(0), 'none'), {
      at: '1970-01-01T00:00:00.000Z',
      type: 'unlocked',
      lock: 'members',
      opener: 'aa',
      label: 'AA',
      path: '/a',
      refusal: undefined,
      section: undefined,
      why: undefined,
      from: undefined,
      patrol: undefined,
    });
  });
  for (const line of [
    '',
    '{',
    '[]',
    'null',
    '{"at":"yesterday","type":"asked"}',
    '{"at":"2026-11-23T00:00:00Z","type":"robbed"}',
  ]) {
    test(`no entry: ${line || 'nothing'}`, () => {
      assert.equal(readEntry(line), undefined);
    });
  }
  test('days are those of the site’s time zone; what was never used is there with 0', async () => {
    const policy = await testPolicy(
      { members: { covers: ['/'], passwords: { aa: 'x', bb: 'y' } } },
      { timeZone: 'Europe/Dublin' },
    );
    const at = (text: string, more: object) =>
      readEntry(JSON.stringify({ at: text, type: 'unlocked', lock: 'members', opener: 'aa', label: 'aa', ...more }));
    const entries = [
      at('2026-07-01T22:30:00Z', {}),
      at('2026-07-01T23:30:00Z', {}),
      at('2026-07-01T23:40:00Z', { opener: 'old', label: 'Old one' }),
      at('2026-07-02T10:00:00Z', { type: 'wrong', opener: undefined, label: undefined }),
    ].filter((entry) => entry !== undefined);
    const { days, locks: found, openers } = summarize(entries, policy, Date.UTC(2026, 6, 2, 12) / 1000);
    assert.equal(days.length, 30);
    assert.equal(days.at(-1), '2026-07-02');
    const [members] = found;
    assert.ok(members);
    assert.deepEqual(members.openedByDay.slice(-2), [1, 2]);
    assert.deepEqual([members.opened, members.wrong, members.lastOpened], [3, 1, '2026-07-01T23:40:00Z']);
    assert.deepEqual(
      openers.map(({ opener, kind, used }) => [opener, kind, used]),
      [
        ['aa', 'password', 2],
        ['bb', 'password', 0],
        ['old', 'gone', 1],
      ],
    );
  });
});
