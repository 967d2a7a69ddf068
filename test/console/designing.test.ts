import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { readFile, rm, symlink, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { groups, parts, textGroups } from '../../examples/console/src/screens/properties.js';
import { textIn, untranslated, withText } from '../../examples/console/src/screens/texts.js';
import { valueAt, withValue } from '../../examples/console/src/screens/written.js';
import { textKeys } from '../../src/core/screen/design/text-keys.js';
import { screenKeys } from '../../src/owner/screens.js';
import { check } from '../../src/owner/check/check.js';
import { removeScreen } from '../../src/owner/screen-design.js';
import { exportScreen } from '../../src/owner/screen-files.js';
import { makeScreen } from '../../src/owner/screens.js';
import { seal } from '../../src/owner/seal.js';
import { addPassword } from '../../src/owner/passwords/passwords.js';
import { guardFromFile } from '../../src/stores/file-guard.js';
import { testConsole } from '../support/consoles.js';
import { answered } from '../support/guards.js';

const policy = `# Kept by hand.
dorlin: 1
site: { name: Kestrelmoor, folder: dist, languages: [en, fr] }
locks:
  all: { covers: [/], screen: evening }
  press: { covers: [/press/] }
screens:
  evening:
    look: lantern # chosen by Imke
    text: { heading: Good evening }
    colors: { light: { button: "#5b2a86" } }
`;

const dot = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);

type World = Awaited<ReturnType<typeof testConsole>>;

describe('the designer’s own parts', () => {
  test('every key of a design can be set by a property, and no property is of no key', () => {
    const keys = new Set(groups.flatMap(({ properties }) => properties.map(({ key }) => key)));
    const isSet = (key: string) => [...keys].some((one) => key === one || key.startsWith(`${one}.`));
    assert.deepEqual(
      screenKeys()
        .map(({ key }) => key)
        .filter((key) => !isSet(key)),
      [],
    );
    const known = screenKeys().map(({ key }) => key);
    assert.deepEqual(
      [...keys].filter((key) => !known.some((one) => one === key || one.startsWith(`${key}.`))),
      [],
    );
    const texts = textGroups.flatMap(({ texts: all }) => all.map(([key]) => key));
    assert.deepEqual([...texts].sort(), Object.keys(textKeys).sort());
    for (const [, property] of parts) assert.ok(isSet(property), property);
  });

  test('a text is one for all languages until another has words of its own', () => {
    assert.equal(withText(undefined, 'en', 'en', 'Good evening'), 'Good evening');
    assert.deepEqual(withText('Good evening', 'fr', 'en', 'Bonsoir'), { en: 'Good evening', fr: 'Bonsoir' });
    assert.deepEqual(withText({ en: 'Good evening', fr: 'Bonsoir' }, 'fr', 'en', ''), { en: 'Good evening' });
    assert.equal(withText('Good evening', 'en', 'en', ''), undefined);
    assert.deepEqual(withText(undefined, 'fr', 'en', 'Bonsoir'), { fr: 'Bonsoir' });
    assert.equal(textIn({ 'fr-CH': 'Bonsoir' }, 'fr', 'en'), 'Bonsoir');
    assert.equal(textIn('Good evening', 'fr', 'en'), '');
    assert.deepEqual(untranslated({ en: 'a' }, ['en', 'fr', 'de'], 'en'), ['fr', 'de']);
    assert.deepEqual(untranslated(undefined, ['en', 'fr'], 'en'), []);
  });

  test('a value is set in its place, and what is left empty goes', () => {
    const written = { look: 'lantern', card: { width: 400 }, css: 'a{}' };
    assert.deepEqual(Object.keys(withValue(written, 'card.width', 500)), ['look', 'card', 'css']);
    assert.deepEqual(withValue(written, 'card.width', undefined), { look: 'lantern', css: 'a{}' });
    assert.equal(valueAt(withValue({}, 'colors.dark.page', '#000000'), 'colors.dark.page'), '#000000');
    assert.equal(valueAt(written, 'card.width.more'), undefined);
  });
});

describe('designing', () => {
  let world: World;
  let imke: Awaited<ReturnType<World['person']>>;
  const live = () => readFile(world.policyFile, 'utf8');
  before(async () => {
    world = await testConsole(policy);
    imke = await world.person('Imke');
  });
  after(() => world.close());

  test('a design is written key by key: comments stay, what is not said goes, and it can be undone', async () => {
    const { screens } = await imke.call('screens.design', {});
    const evening = screens.find(({ name }) => name === 'evening');
    assert.deepEqual(evening?.written, {
      look: 'lantern',
      text: { heading: 'Good evening' },
      colors: { light: { button: '#5b2a86' } },
    });
    assert.deepEqual(evening.locks, ['all']);
    await imke.call('screen.change', {
      screen: 'evening',
      written: { look: 'lantern', text: { heading: { en: 'Good evening', fr: 'Bonsoir' } }, card: { width: 480 } },
      before: evening.written,
      locks: ['all', 'press'],
    });
    await imke.call('live', {});
    const text = await live();
    assert.match(text, /^# Kept by hand\.[^]*look: lantern # chosen by Imke/);
    assert.match(text, /heading: \{ en: Good evening, fr: Bonsoir \}/);
    assert.match(text, /press: \{ covers: \[ ?\/press\/ ?\], screen: evening \}/);
    assert.match(text, /width: 480/);
    assert.doesNotMatch(text, /5b2a86/);
    await imke.call('back', {});
    assert.equal(await live(), policy);
  });

  test('what somebody else has done to a screen meanwhile is not written over', async () => {
    const before = { look: 'lantern', text: { heading: 'Good morning' } };
    await assert.rejects(
      imke.call('screen.change', { screen: 'evening', written: { look: 'ticket' }, before }),
      /policy-changed/,
    );
    assert.equal(await live(), policy);
  });

  test('a mistake is told with its key, and nothing is written', async () => {
    const written = { look: 'lantern', card: { width: 4000 } };
    await assert.rejects(imke.call('screen.change', { screen: 'evening', written }), /edit-refused.*card\.width/s);
    await assert.rejects(imke.call('screen.change', { screen: 'none', written: {} }), /screen-unknown/);
    await assert.rejects(imke.call('screen.change', { screen: 'evening', written: {}, isNew: true }), /screen-exists/);
    await assert.rejects(imke.call('screen.change', { screen: '__proto__', written: {}, isNew: true }), /./);
    assert.equal(await live(), policy);
  });

  test('a screen that is taken away is shown by no lock any more', async () => {
    const { locks } = await imke.call('screen.remove', { screen: 'evening' });
    assert.deepEqual(locks, ['all']);
    await imke.call('draft.undo', {});
    await assert.rejects(imke.call('screen.remove', { screen: 'default' }), /screen-unknown/);
  });

  test('a picture is kept, shown to strangers though the site is locked, exported and sealed along', async () => {
    const bytes = dot;
    const { path } = await imke.call('screen.keep', { called: 'Évening Moor.PNG', data: bytes.toString('base64') });
    const digest = createHash('sha256').update(bytes).digest('hex').slice(0, 10);
    assert.equal(path, `/_dorlin/assets/kept/evening-moor-${digest}.png`);
    const shown = await world.ask(`/api/shown?path=${path}`, { headers: { cookie: imke.cookie } });
    assert.equal(shown.headers.get('content-type'), 'image/png');
    assert.match(shown.headers.get('content-security-policy') ?? '', /sandbox/);

    await makeScreen(world.policyFile, 'moor', {
      look: 'harbour',
      locks: ['all'],
      settings: [`background.picture=${path}`],
    });
    const guard = await guardFromFile(world.policyFile);
    const ask = async (target: string, method = 'GET') =>
      answered(
        await guard.answer({ method, target, headers: { host: 'k.example' }, address: '192.0.2.1', encrypted: true }),
      );
    const { status, headers } = await ask(path);
    assert.deepEqual([status, headers['content-type']], [200, 'image/png']);
    assert.match(String(headers['content-security-policy']), /default-src 'none'.*sandbox/);
    assert.match((await ask('/')).body, new RegExp(path));
    for (const wrong of [
      '../secret',
      '..%2Fsecret',
      'secret',
      '.gitignore',
      `${'a'.repeat(120)}.png`,
      'x.png/..',
      'no-such-0000000000.png',
    ])
      assert.equal((await ask(`/_dorlin/assets/kept/${wrong}`)).status, 404, wrong);
    await guard.close();

    assert.match((await exportScreen(world.policyFile, 'moor')).html, /url\("data:image\/png;base64,/);
    const found = async () => (await check(world.policyFile)).kinds.map(({ code }) => code);
    assert.ok(!(await found()).some((code) => code.startsWith('screen-file')));
    await addPassword(world.policyFile, 'all', { password: { words: 5 } });
    const out = join(world.folder, 'sealed');
    await seal(world.policyFile, { out, rounds: 1000 });
    assert.deepEqual(await readFile(join(out, path)), bytes);

    await rm(join(world.folder, '.dorlin/pictures'), { recursive: true });
    assert.ok((await found()).includes('screen-file-missing'));
  });

  test('what is no picture is not kept, whatever it is called', async () => {
    const keep = (called: string, text: string) =>
      imke.call('screen.keep', { called, data: Buffer.from(text).toString('base64') });
    await assert.rejects(keep('moor.png', '<!doctype html><script>alert(1)</script>'), /picture-unusable/);
    await assert.rejects(keep('moor.svg', '{"a": "<svg"}'), /picture-unusable/);
    await assert.rejects(keep('moor.png', `\x89PNG\r\n\x1a\n${'x'.repeat(1_400_001)}`), /picture-unusable|input/);
    // Many comments and no drawing: told at once, not after every way to read them was tried.
    await assert.rejects(keep('moor.svg', '<!---->'.repeat(500)), /picture-unusable/);
    const { path } = await keep(
      '../../x',
      '<?xml version="1.0"?>\n<!-- by Tam --><svg xmlns="http://www.w3.org/2000/svg"/>',
    );
    assert.match(path, /^\/_dorlin\/assets\/kept\/x-[0-9a-f]{10}\.svg$/);
  });

  test('the console shows pictures of the site, and nothing else of the machine', async () => {
    await writeFile(join(world.folder, 'dist/moor.svg'), '<svg xmlns="http://www.w3.org/2000/svg"/>');
    await writeFile(join(world.folder, 'beside.svg'), '<svg/>');
    await symlink(join(world.folder, 'beside.svg'), join(world.folder, 'dist/linked.svg'));
    const ask = (path: string, cookie: string | undefined = imke.cookie) =>
      world.ask(`/api/shown?path=${encodeURIComponent(path)}`, { headers: { cookie } });
    assert.equal((await ask('/moor.svg')).status, 200);
    for (const path of [
      '/../beside.svg',
      '/%2e%2e/beside.svg',
      '/x/..%2f..%2fbeside.svg',
      '/linked.svg',
      '/.dorlin/secret',
      '//elsewhere/x.png',
      '/dorlin.yaml',
      '/moor.svg\0.png',
      '',
    ])
      assert.equal((await ask(path)).status, 404, path);
    assert.equal((await ask('/moor.svg', '')).status, 401);
    const kit = await world.person('Kit', { role: 'keeper', locks: ['press'] });
    assert.equal((await ask('/moor.svg', kit.cookie)).status, 401);
  });

  test('a design shows no file of the machine either, however it names it', async () => {
    for (const picture of ['/../beside.svg', '/%2e%2e/beside.svg', '/linked.svg']) {
      await makeScreen(world.policyFile, 'far', { look: 'harbour', settings: [`background.picture=${picture}`] });
      await assert.rejects(exportScreen(world.policyFile, 'far'), { code: 'file-unusable' }, picture);
      await removeScreen(world.policyFile, 'far');
    }
  });
});
