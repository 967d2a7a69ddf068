import assert from 'node:assert/strict';
import { appendFile, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { dorlinHere as dorlin, endAll, following } from '../support/command-line.js';
import { policyText } from '../support/policies.js';
import { temporaryFolder, until, writeFiles } from '../support/sites.js';

const ago = (days: number) => new Date(Date.now() - days * 86_400_000).toISOString();
const entry = (days: number, more: object) => `${JSON.stringify({ at: ago(days), ...more })}\n`;
const opened = { type: 'unlocked', lock: 'members', opener: 'aa', label: 'AA' };

describe('dorlin journal', () => {
  let folder: string;
  let remove: () => Promise<void>;
  let file: string;
  before(async () => {
    ({ folder, remove } = await temporaryFolder());
    file = join(folder, '.dorlin/journal.jsonl');
    await writeFiles(folder, {
      'dorlin.yaml': await policyText(
        {
          members: { covers: ['/members/'], passwords: { AA: 'one', BB: 'two' } },
          press: { covers: ['/press/'], passwords: { PP: 'three' } },
        },
        {},
        { journal: {} },
      ),
      '.dorlin/journal.jsonl':
        entry(200, opened) +
        entry(20, { ...opened, label: '=1+1' }) +
        entry(2, opened) +
        entry(1, { type: 'wrong', lock: 'members' }) +
        entry(0.1, { type: 'asked', lock: 'press', path: '/press/\u001b[2Ja' }),
    });
  });
  after(async () => {
    endAll();
    await remove();
  });
  const run = async (...words: string[]) => dorlin(folder, ['journal', ...words]);

  test('counts by lock and by password, a chart, and the last events', async () => {
    const { stdout, exitCode } = await run();
    assert.equal(exitCode, 0);
    assert.match(stdout, /4 events at the locks/);
    assert.match(stdout, /members +[·▁▂▃▄▅▆▇█]{30} +2 .* 1 +0\n/);
    assert.match(stdout, /members +AA +2 times/);
    assert.match(stdout, /members +BB +never/);
    assert.match(stdout, /press +PP +never/);
    assert.match(stdout, /asked +at \/press\/\?\[2Ja \(press\)/);
    assert.doesNotMatch(stdout, /\u001b/);
  });

  test('by lock, event and time', async () => {
    const entries = async (...words: string[]) =>
      (JSON.parse((await run(...words, '--json')).stdout) as { entries: { type: string }[] }).entries.map(
        ({ type }) => type,
      );
    assert.deepEqual(await entries('--lock', 'press'), ['asked']);
    assert.deepEqual(await entries('--event', 'wrong', 'asked'), ['wrong', 'asked']);
    assert.deepEqual(await entries('--since', '36 hours'), ['wrong', 'asked']);
    assert.deepEqual(await entries('--since', ago(3).slice(0, 10), '--lock', 'members'), ['unlocked', 'wrong']);
  });

  test('as CSV, in which nothing is a formula', async () => {
    const { stdout } = await run('--csv', '--event', 'unlocked');
    const [head, first] = stdout.split('\n');
    assert.equal(head, 'at,type,lock,opener,label,path,section,refusal,from,count');
    assert.match(first ?? '', /,unlocked,members,aa,'=1\+1,/);
  });

  test('what is wrong is said', async () => {
    const table: [string[], RegExp][] = [
      [['--lock', 'member'], /There is no lock `member`/],
      [['--event', 'unlock'], /There is no event `unlock`\.\n.*Did you mean `unlocked`/],
      [['--since', 'tuesday'], /`tuesday` is neither a moment nor a span/],
      [['--lines', 'many'], /`many` is no number/],
      [['--csv', '--json'], /cannot both/],
    ];
    for (const [words, message] of table) {
      const { stderr, stdout, exitCode } = await run(...words);
      assert.equal(exitCode, 2);
      assert.match(stderr + stdout, message);
    }
    const none = join(folder, 'none.yaml');
    await writeFile(none, await policyText({}));
    assert.match((await run('--policy', none)).stderr, /keeps no journal\.\n.*journal\.keep=/);
  });

  test('followed until it is told to end', async () => {
    const follow = following(folder, ['journal', '--follow', '--json', '--lines', '0', '--event', 'left']);
    // Told again until it listens; it may take a moment to start.
    await until(async () => {
      await appendFile(file, entry(0, { type: 'left' }) + entry(0, { type: 'busy' }));
      return follow.printed().includes('"left"');
    });
    assert.equal(await follow.end(), 0);
    assert.doesNotMatch(follow.printed(), /busy/);
    assert.match(await readFile(file, 'utf8'), /"left"/);
  });
});
