import assert from 'node:assert/strict';
import { chmod, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { dorlinHere as dorlin } from '../support/command-line.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

describe('dorlin check', () => {
  let folder: string;
  let remove: () => Promise<void>;
  before(async () => {
    ({ folder, remove } = await temporaryFolder());
    await writeFiles(folder, {
      'dist/index.html': '<h1>Start</h1>',
      'dist/members/log.html': '<p>Log</p><img src="/pictures/owl.jpg">',
      'dist/pictures/owl.jpg': 'x',
    });
    for (const words of [
      ['init', 'dist', '--name', 'Kestrelmoor'],
      ['lock', 'members', '/members/'],
    ]) {
      await dorlin(folder, words);
    }
    await dorlin(folder, ['password', 'add', 'members', '--label', 'A', '--password-stdin'], 'kestrelmoor1');
  });
  after(() => remove());

  test('says what it found, why it matters and how to mend it, and ends with 1', async () => {
    const { stdout, exitCode } = await dorlin(folder, ['check']);
    assert.equal(exitCode, 1);
    assert.match(stdout, /Kestrelmoor: 2 findings in the policy and 3 files/);
    assert.match(stdout, /A password can be guessed \[password-guessable\][^]*“A” of members[^]*→ Put another/);
    assert.match(stdout, /\[file-beside-open\][^]*\/pictures\/owl\.jpg[^]*\/members\/log\.html/);
    assert.doesNotMatch(stdout, /kestrelmoor1/);
  });

  test('as JSON, with a page for each code', async () => {
    const { stdout, exitCode } = await dorlin(folder, ['check', '--json']);
    assert.equal(exitCode, 1);
    const { kinds, files, findings } = JSON.parse(stdout) as {
      files: number;
      findings: number;
      kinds: Record<string, string>[];
    };
    assert.deepEqual([files, findings], [3, 2]);
    assert.deepEqual(
      kinds.map(({ code, page }) => [code, page]),
      [
        ['password-guessable', 'docs/reference/findings.md#password-guessable'],
        ['file-beside-open', 'docs/reference/findings.md#file-beside-open'],
      ],
    );
  });

  test('nothing found ends with 0; what is meant so can be left out', async () => {
    const { stdout, exitCode } = await dorlin(folder, ['check', '--skip', 'password-guessable', 'file-beside-open']);
    assert.equal(exitCode, 0);
    assert.match(stdout, /nothing found/);
    const wrong = await dorlin(folder, ['check', '--skip', 'file-beside']);
    assert.equal(wrong.exitCode, 2);
    assert.match(wrong.stderr, /Did you mean `file-beside-open`/);
    const broken = await dorlin(folder, ['check', '--policy', 'none.yaml']);
    assert.equal(broken.exitCode, 2);
  });

  test('what lies around the policy: the secret, and a draft', async () => {
    const codes = async (...words: string[]) => {
      const { stdout } = await dorlin(folder, ['check', '--json', ...words]);
      return (JSON.parse(stdout) as { kinds: { code: string }[] }).kinds.map(({ code }) => code);
    };
    await chmod(join(folder, '.dorlin/secret'), 0o640);
    assert.ok((await codes()).includes('secret-readable'));
    await chmod(join(folder, '.dorlin/secret'), 0o600);
    assert.ok((await codes('--folder', '.')).includes('secret-in-site'));
    await dorlin(folder, ['lock', 'members', '/index.html', '--draft']);
    assert.ok((await codes()).includes('draft-waiting'));
    await writeFile(join(folder, 'plain.yaml'), 'dorlin: 1\nsite: { name: T }\n');
    const { stdout } = await dorlin(folder, ['check', '--policy', 'plain.yaml']);
    assert.match(stdout, /nothing found in the policy alone, as it names no folder/);
  });
});
