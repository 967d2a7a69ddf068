import assert from 'node:assert/strict';
import { cp, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { describe, test } from 'node:test';
import { openKeys } from '../../src/stores/keeping.js';
import { rememberPasswords } from '../../src/stores/recall-file.js';
import { dorlinHere, repository } from '../support/command-line.js';
import { temporaryFolder } from '../support/sites.js';

const demo = join(repository, 'examples/observatory');

/** The commands that a document shows, in order, as a shell would take them apart. */
async function commandsOf(document: string): Promise<string[][]> {
  const text = await readFile(join(repository, document), 'utf8');
  const blocks = [...text.matchAll(/^```sh\n([^]*?)^```/gm)].map(([, block = '']) => block);
  return blocks
    .flatMap((block) => block.split('\n'))
    .flatMap((line) => {
      const words = [...line.matchAll(/#.*$|'([^']*)'|((?:[^\s'#]|(?<=\S)#)+(?:'[^']*')?)/g)].flatMap(
        ([whole, quoted, plain]) => (whole.startsWith('#') ? [] : (quoted ?? plain?.replaceAll("'", '') ?? [])),
      );
      const at = words[0] === 'npx' ? 1 : 0;
      return words[at] === 'dorlin' && words.length > at + 1 ? [words.slice(at + 1)] : [];
    });
}

/** What goes on until it is told to end, or needs a site that is on the net. */
const isElsewhere = (words: readonly string[]) =>
  /^(?:serve|patrol|demo)$/.test(words[0] ?? '') ||
  words.join(' ') === 'console' ||
  words.includes('preview') ||
  words.includes('mine') ||
  words.some((word) => word === '--crawl' || word === 'OLD');

async function go(commands: readonly string[][], folder: string): Promise<void> {
  for (const words of commands) {
    if (isElsewhere(words)) continue;
    const { exitCode: code, stdout, stderr } = await dorlinHere(folder, words);
    const mayFind = words[0] === 'check' || words[1] === 'check' || words.includes('--check');
    assert.equal(code === 0 || (mayFind && code === 1), true, `dorlin ${words.join(' ')}\n${stdout}${stderr}`);
  }
}

describe('what the documents show works as it is printed, one after the other', () => {
  for (const document of ['docs/guide.md', 'docs/screens.md']) {
    test(`${document}, on a fresh copy of the demo’s policy`, async () => {
      const { folder, remove } = await temporaryFolder();
      await cp(join(demo, 'dist'), join(folder, 'dist'), { recursive: true });
      await cp(join(demo, 'dorlin.yaml'), join(folder, 'dorlin.yaml'));
      await writeFile(join(folder, '.htpasswd'), 'bran:$apr1$abcdefgh$6LrfU5Del4GDbq.LEfGiS.\n');
      await writeFile(join(folder, 'brand.tokens.json'), '{"color":{"$type":"color","primary":{"$value":"#2f5a3c"}}}');
      const known = JSON.parse(await readFile(join(demo, 'demo-passwords.json'), 'utf8')) as {
        lock: string;
        id: string;
        password: string;
      }[];
      const keys = await openKeys(join(folder, 'dorlin.yaml'));
      for (const { lock, ...one } of known) {
        await rememberPasswords(join(folder, 'dorlin.yaml'), lock, [one], keys);
      }
      const commands = await commandsOf(document);
      assert.ok(commands.length > 8);
      await go(
        commands.filter(([first]) => first !== 'init'),
        folder,
      );
      await remove();
    });
  }
  test('README.md, from a folder with a folder of pages', async () => {
    const { folder, remove } = await temporaryFolder();
    await cp(join(demo, 'dist'), join(folder, 'dist'), { recursive: true });
    const commands = await commandsOf('README.md');
    assert.ok(commands.length > 8);
    await go(commands, folder);
    await remove();
  });
});
