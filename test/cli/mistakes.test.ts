import assert from 'node:assert/strict';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import pico from 'picocolors';
import { harmless } from '../../src/cli/output.js';
import { dorlin } from '../support/command-line.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

let folder: string;
let remove: () => Promise<void>;
before(async () => {
  ({ folder, remove } = await temporaryFolder());
  await writeFiles(folder, {
    'dist/index.html': '<title>\x1b]0;taken over\x07\x1b[2Jstart\u202e</title>',
    'dorlin.yaml': 'dorlin: 1\nsite: { name: x, folder: dist }\nlocks: { a: { covers: [/a/] } }\n',
  });
});
after(() => remove());

describe('an ordinary mistake ends with 2, in words, and in JSON where that is asked for', () => {
  const cases: [string, string[], RegExp][] = [
    ['a missing argument', ['lock'], /NAME is missing/],
    ['an unknown option', ['places', '--nonsense'], /no option `--nonsense`/],
    ['an unknown command', ['plaices'], /There is no command `plaices`/],
    ['a host that is none', ['serve', '--host', 'nowhere.invalid', '--port', '0'], /nowhere\.invalid: /],
    [
      'an address of another machine',
      ['serve', '--host', '203.0.113.9', '--port', '0'],
      /203\.0\.113\.9: this machine does not have/,
    ],
    [
      'a folder that is not there',
      ['screen', 'export', 'default', '--out', '/nowhere/x.html'],
      /\/nowhere\/x\.html: there is no such/,
    ],
    ['a folder in the place of a file', ['places', '--policy', 'dist'], /dist/],
    ['a site’s folder that is not there', ['places', '--folder', 'gone'], /gone/],
  ];
  for (const [name, words, said] of cases) {
    test(name, async () => {
      const plain = await dorlin(folder, words);
      assert.equal(plain.exitCode, 2, plain.stderr);
      assert.match(plain.stderr, said);
      assert.doesNotMatch(plain.stderr, /\n +at /);
      const { exitCode, stdout } = await dorlin(folder, [...words, '--json']);
      assert.equal(exitCode, 2);
      const { error } = JSON.parse(stdout) as { error: { code: string; message: string } };
      assert.match(error.code, /^[a-z-]+$/);
      assert.match(error.message, said);
    });
  }
});

test('text of one’s own that cannot be forgotten is told after the edit, which counts', async () => {
  await dorlin(folder, ['password', 'add', 'a', '--label', 'One', '--generate']);
  await writeFile(join(folder, '.dorlin/recall.json'), 'damaged');
  const { exitCode, stderr, stdout } = await dorlin(folder, ['password', 'retire', 'a', 'One', '--json']);
  assert.equal(exitCode, 0, stderr);
  const told = JSON.parse(stdout) as { passwordsLeft: number; notForgotten: string };
  assert.match(told.notForgotten, /recall\.json is damaged/);
  assert.equal(told.passwordsLeft, 0);
  assert.doesNotMatch(await readFile(join(folder, 'dorlin.yaml'), 'utf8'), /One/);
});

describe('nothing that comes from others moves a terminal’s cursor', () => {
  test('titles of pages, in words and as JSON', async () => {
    for (const words of [['places'], ['places', '--json'], ['check'], ['screen', 'list']]) {
      const { stdout, stderr } = await dorlin(folder, words);
      assert.doesNotMatch(stdout + stderr, /[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e]/, words.join(' '));
    }
  });
  test('our own colors stay whole, a code to be scanned too', () => {
    const paint = pico.createColors(true);
    const ours = [paint.bgWhiteBright(paint.black('x')), paint.bgRed(paint.bold(paint.cyan('x')))];
    for (const text of ours) assert.equal(harmless(text), text);
    assert.equal(harmless('\u001b[108m\u001b[2J'), '\ufffd[108m\ufffd[2J');
  });
  for (const [name, text] of [
    ['a label', 'locks: { a: { covers: [/a/], links: [{ id: ab, label: "x\\e[2J", until: 2030-01-01 }] } }'],
    ['a title', 'locks: { a: { covers: [/a/], title: "a\\u009b2J" } }'],
    ['the site’s name', 'locks: {}'],
  ] as const) {
    test(`${name} with control characters is refused`, async () => {
      const site = name === 'the site’s name' ? '"x\\a"' : 'x';
      await writeFile(join(folder, 'odd.yaml'), `dorlin: 1\nsite: { name: ${site} }\n${text}\n`);
      const { exitCode, stderr } = await dorlin(folder, ['places', '--policy', 'odd.yaml']);
      assert.equal(exitCode, 2);
      assert.match(stderr, /odd\.yaml:\d+:\d+ .*a control character/);
    });
  }
  test('our own colors stay, and nothing else', () => {
    assert.equal(harmless('\x1b[1m\x1b[32mgreen\x1b[39m\x1b[22m'), '\x1b[1m\x1b[32mgreen\x1b[39m\x1b[22m');
    assert.equal(harmless('a\x1b[2Jb\x1b]0;c\x07\x9b\rd'), 'a\ufffd[2Jb\ufffd]0;c\ufffd\ufffd\ufffdd');
    assert.equal(harmless('\x1b[8mhidden'), '\ufffd[8mhidden');
    assert.equal(harmless('line\n\ttab'), 'line\n\ttab');
  });
});

test('a lock that JavaScript would lose is a mistake that is told', async () => {
  const text = 'dorlin: 1\nsite: { name: x }\nlocks:\n  __proto__: { covers: [/] }\n';
  await writeFile(join(folder, 'odd.yaml'), text);
  const { exitCode, stderr } = await dorlin(folder, ['places', '--policy', 'odd.yaml']);
  assert.equal(exitCode, 2);
  assert.match(stderr, /odd\.yaml:4:3 .*`__proto__`/);
});
