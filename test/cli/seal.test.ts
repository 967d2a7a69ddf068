import assert from 'node:assert/strict';
import { test } from 'node:test';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { dorlin, running } from '../support/command-line.js';
import { siteToSeal } from '../support/sealed.js';

const sentence = 'heather burned blue above the northern wall that whole night while nobody at all was looking up';
const page = (text: string) => `<!doctype html><html lang=en><title>Log</title><main><h1>Log</h1><p>${text}</p></main>`;

test('dorlin seal: says what it did, finds what stands in the clear, refuses what would not stand', async (t) => {
  const site = await siteToSeal(
    {
      members: {
        covers: ['/members/'],
        passwords: { Season: 'plover kettle amber dome heather' },
        links: [{ id: 'k1', label: 'The Herald', until: '2099-01-01' }],
        until: '2098-01-01',
      },
    },
    { 'index.html': page('Welcome'), 'members/log.html': page(sentence) },
  );
  t.after(site.remove);
  const run = (...more: string[]) => dorlin(site.folder, ['seal', '--out', 'sealed', ...more]);
  const first = await run('--check');
  assert.equal(first.exitCode, 0, first.stderr);
  assert.match(first.stdout, /sealed +1 file, 1 anew/);
  assert.match(first.stdout, /members +Season(?: +(?:about [\d,]+|over a million) years){3}/);
  assert.match(first.stdout, /members, The Herald: \S*\/members\/#dorlin=members\.\S{32}/);
  assert.match(first.stdout, /members: it ends, and its files stay sealed until you seal again/);
  assert.match(first.stdout, /Nothing locked stands in the clear/);
  const checked = await dorlin(site.folder, ['check']);
  assert.match(checked.stdout, /\[sealed-cannot\][^]*members: it ends, and its files stay sealed until you seal again/);
  await writeFile(join(site.site, 'search.json'), JSON.stringify({ docs: [sentence] }));
  const leaky = await run('--check', '--json');
  assert.equal(leaky.exitCode, 1);
  assert.equal((JSON.parse(leaky.stdout) as { leaks: unknown[] }).leaks.length, 1);
  for (const more of [
    ['--rounds', '5'],
    ['--rekey', 'membres'],
  ])
    assert.equal((await run(...more)).exitCode, 2);
  await site.write({ members: { covers: ['/members/'], passwords: { Season: 'letmein' } } });
  const weak = await run();
  assert.equal(weak.exitCode, 2);
  assert.match(weak.stderr, /Season of members would stand/);
  assert.equal((await run('--accept-weak')).exitCode, 0);
});

test('dorlin seal --show serves what was written, as a host for files does', async (t) => {
  const site = await siteToSeal(
    { members: { covers: ['/members/'], passwords: { Season: 'plover kettle amber dome heather' } } },
    { 'index.html': page('Welcome'), 'members/log.html': page(sentence), 'members/log.txt': sentence },
  );
  t.after(site.remove);
  const shown = await running(site.folder, ['seal', '--out', 'sealed', '--show', '0']);
  const get = async (path: string) => {
    const answer = await fetch(`${shown.url}${path}`);
    const text = await answer.text();
    return { status: answer.status, text, isClear: text.includes('heather') };
  };
  assert.deepEqual({ ...(await get('/')), text: '' }, { status: 200, text: '', isClear: false });
  const shell = await get('/members/log');
  assert.deepEqual([shell.status, shell.isClear, shell.text.includes('dorlin-area')], [200, false, true]);
  const file = await get('/members/log.txt');
  assert.deepEqual([file.status, file.isClear, file.text.includes('data-missing')], [404, false, true]);
  assert.equal((await get('/..%2fdorlin.yaml')).status, 404);
  assert.equal(await shown.end(), 0);
});
