import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { after, before, describe, test } from 'node:test';
import type { Browser } from 'playwright-core';
import { launch, skipBrowser } from '../support/browser.js';
import { atConsole, runConsole, type RunningConsole } from '../support/console-browser.js';
import { dorlin } from '../support/command-line.js';
import { until } from '../support/sites.js';

const policy = `# Kept by hand.
dorlin: 1
site: { name: Kestrelmoor, folder: dist, timeZone: Europe/Dublin, languages: [en, fr] }
locks:
  members: { title: The members’ pages, covers: [/members/], passwords: [] }
`;
const page = (title: string) => `<!doctype html><html lang=en><title>${title}</title><h1>${title}</h1>`;
const files = {
  'index.html': page('Start'),
  'members/index.html': page('Members'),
  'news.html': page('News'),
};
const picture = Buffer.from(
  '<svg xmlns="http://www.w3.org/2000/svg" width="240" height="80"><rect width="240" height="80" fill="#123456"/></svg>',
);
const file = (name: string) => ({ name, mimeType: 'image/svg+xml', buffer: picture });

describe('the designer, as owners use it', { skip: skipBrowser }, () => {
  let browser: Browser;
  let running: RunningConsole;
  let state: Parameters<typeof atConsole>[2];
  const live = () => readFile(running.policyFile, 'utf8');

  /** An owner in the room of the screens, with what one does there. */
  const enter = async (path: string, more: Parameters<typeof atConsole>[2] = {}) => {
    const owner = await atConsole(browser, running, { ...state, ...more });
    await owner.goto(new URL(path, running.url).href);
    await owner.locator('#room h2, #room [role=tree]').first().waitFor();
    const drawn = () => owner.locator('.stage-inner iframe').first().contentFrame();
    return Object.assign(owner, {
      drawn,
      group: async (name: string) => {
        await owner.locator('.properties summary').getByText(name, { exact: true }).click();
        await owner.locator('.properties details[open] .group').waitFor();
      },
      set: async (key: string, value: string) => owner.locator(`#p-${key.replaceAll('.', '-')}`).fill(value),
      save: async () => {
        await owner.press('Put it in the draft');
        await owner.getByText('As the draft has it').waitFor();
      },
    });
  };
  before(async () => {
    [browser, running] = await Promise.all([launch(), runConsole(policy, files, true)]);
    const words = ['password', 'add', 'members', '--password-stdin'];
    assert.equal((await dorlin(running.folder, words, 'kestrel over the moor\n')).exitCode, 0);
    const imke = await atConsole(browser, running, { invitation: running.invitation });
    state = { state: await imke.state() };
    await imke.context().close();
  });
  after(async () => {
    await browser.close();
    await running.close();
  });

  test('a screen of a brand’s own, from a look to what visitors meet, in two languages and every state', async (t) => {
    const owner = await enter('/screens');
    await owner.press('New screen');
    await owner.getByRole('dialog').getByText('lantern', { exact: true }).click();
    await owner.getByLabel('Its name').fill('evening');
    await owner.getByLabel('Shown at').selectOption('members');
    await owner.press('Make it');
    await owner.getByRole('heading', { name: 'evening' }).waitFor();

    await owner.group('Words');
    await owner.set('text.heading', 'Members’ evening');
    await owner.set('text.placeholder', 'Three words');
    await owner.drawn().getByRole('heading', { name: 'Members’ evening' }).waitFor();
    await owner.getByText('not in French yet').first().waitFor();
    await owner.getByLabel('Language').selectOption('fr');
    await owner.set('text.heading', 'Le soir des membres');
    await owner.drawn().getByRole('heading', { name: 'Le soir des membres' }).waitFor();
    await owner.getByLabel('State').selectOption('wrong');
    await owner.set('text.wrong', 'Ce n’est pas celui-là.');
    await owner.drawn().getByRole('alert').getByText('Ce n’est pas celui-là.').waitFor();
    await owner.getByLabel('Language').selectOption('en');
    await owner.getByLabel('State').selectOption('ask');

    await owner.group('Colors');
    await owner.set('colors.light.button', '#aabbcc');
    const failing = owner.locator('.color', { hasText: 'what it says' }).first();
    await failing.getByText('hard to read').waitFor();
    await failing.getByRole('button', { name: /^Take #/ }).click();
    await failing.getByText('reads well').waitFor();

    await owner.group('Logo and way home');
    await owner.getByLabel('Logo: a file').setInputFiles(file('Kestrel.svg'));
    await owner.getByLabel('Width', { exact: true }).last().waitFor();
    const logo = owner.drawn().locator('.site img');
    await until(async () => (await logo.getAttribute('width')) === '180');
    const handle = await owner.drawn().locator('.logo-handle').boundingBox();
    assert.ok(handle !== null, 'the logo has no handle');
    const [x, y] = [handle.x + handle.width / 2, handle.y + handle.height / 2];
    await owner.mouse.move(x, y);
    await owner.mouse.down();
    await owner.mouse.move(x - 30, y, { steps: 4 });
    await owner.mouse.up();
    const width = Number(await owner.locator('#p-logo-width').inputValue());
    assert.ok(width < 160 && width > 80, `${width} pixels`);
    await owner.locator('#p-logo-width').fill('120');
    await until(async () => (await logo.getAttribute('height')) === '40');

    await owner.group('Background');
    await owner.getByLabel('Picture behind everything: a file').setInputFiles(file('Moor.svg'));
    // With a picture, more than half of it is veiled at first.
    await until(async () => (await owner.locator('#p-background-overlay').inputValue()) === '60');
    await owner.locator('#p-background-overlay').fill('85');
    await owner.group('Field');
    await owner.set('field.radius', '4');
    await owner.group('Button');
    await owner.set('button.radius', '22');
    await owner.save();
    await owner.goLive();
    await owner.walked(t, { presses: 40, typed: 20 });
    const text = await live();
    assert.match(text, /^# Kept by hand\.[^]*screen: evening/);
    for (const said of [/en: Members’ evening, fr: Le soir des membres/, /width: 120/, /overlay: 0\.85/, /radius: 22/])
      assert.match(text, said);

    const visited = await running.visit('/members/', { 'accept-language': 'fr' });
    assert.equal(visited.status, 403);
    assert.match(visited.text, /<h1>Le soir des membres<\/h1>/);
    const { text: sent } = await running.visit('/members/', { 'accept-language': 'en' });
    const shown = /\/_dorlin\/assets\/kept\/kestrel-[0-9a-f]+\.svg/.exec(sent)?.[0] ?? '';
    assert.equal((await running.visit(shown)).status, 200);
    assert.match(sent, /url\("\/_dorlin\/assets\/kept\/moor-/);
    assert.deepEqual(owner.problems, []);
    assert.deepEqual(await owner.axe(), []);
    await owner.context().close();
  });

  test('a part of the picture leads to its property, and a property shows its part', async () => {
    const owner = await enter('/screens?screen=evening');
    await owner.drawn().getByRole('heading').click();
    await owner.locator('#p-text-heading:focus').waitFor();
    await owner.drawn().locator('h1[data-chosen]').waitFor();
    await owner.drawn().locator('.open').click();
    await owner.locator('#p-button-radius:focus').waitFor();
    await owner.drawn().locator('.open[data-chosen]').waitFor();
    // Nothing in the picture is sent or followed.
    assert.match(owner.url(), /screen=evening$/);
    await owner.context().close();
  });

  test('undo and redo go by steps, and what is no design is named and not drawn', async () => {
    const owner = await enter('/screens?screen=evening');
    const field = owner.locator('#p-text-message');
    await owner.group('Words');
    await field.pressSequentially('A word of welcome', { delay: 10 });
    await owner.drawn().getByText('A word of welcome').waitFor();
    await owner.press('Undo in the design');
    assert.equal(await field.inputValue(), '');
    await owner.press('Redo in the design');
    assert.equal(await field.inputValue(), 'A word of welcome');
    await owner.group('Colors');
    await owner.set('colors.light.text', '#12');
    await owner.getByText('1 mistake, named beside it').waitFor();
    await owner.drawn().getByText('A word of welcome').waitFor();
    assert.ok(await owner.getByRole('button', { name: 'Put it in the draft' }).isDisabled());
    await owner.set('colors.light.text', '');
    // Left and entered again, it is as it was.
    await owner.press('All screens');
    await owner.getByRole('button', { name: 'Design evening' }).click();
    await owner.drawn().getByText('A word of welcome').waitFor();
    await owner.context().close();
  });

  test('parts are added, written, moved and taken out; two owners do not write over each other', async () => {
    const owner = await enter('/screens?screen=evening');
    const other = await enter('/screens?screen=evening');
    await owner.group('More parts');
    await owner.locator('#p-above').selectOption('markdown');
    await owner.getByLabel('Its text').fill('**Bring** a torch.');
    await owner.drawn().locator('.rich strong').getByText('Bring').waitFor();
    await owner.locator('#p-above').selectOption('links');
    await owner.getByRole('button', { name: 'Links 2: up' }).click();
    await owner.getByRole('button', { name: 'Text 2: below the form' }).click();
    await owner.drawn().locator('form ~ .rich').waitFor();
    // By mouse as well: onto a part of the other list, before which it stands then.
    const head = (kind: string) => owner.locator('.block-head', { hasText: kind });
    await head('Links').dragTo(head('Text'), { sourcePosition: { x: 8, y: 8 }, targetPosition: { x: 8, y: 8 } });
    await owner.drawn().locator('form ~ .links ~ .rich').waitFor();
    await owner.getByRole('button', { name: 'Links 1: above the form' }).click();
    await owner.getByRole('button', { name: 'Links 1: out' }).click();
    await owner.drawn().locator('.links').waitFor({ state: 'detached' });
    await other.group('Words');
    await other.set('text.button', 'Come in');
    await owner.save();
    await other.press('Put it in the draft');
    await other.getByText('Somebody else has changed').waitFor();
    await other.press('Take theirs');
    await other.drawn().locator('form ~ .rich').waitFor();
    assert.deepEqual([...owner.problems, ...other.problems], []);
    await Promise.all([owner.context().close(), other.context().close()]);
  });

  test('a page that opens soon, from nothing, in at most twelve clicks and two typed texts', async () => {
    const owner = await enter('/');
    let [clicks, typed] = [0, 0];
    const click = async (work: Promise<unknown>) => {
      clicks++;
      await work;
    };
    const type = async (label: string, text: string) => {
      typed++;
      await owner.getByLabel(label, { exact: true }).last().fill(text);
    };
    // The page is closed with a day on which it opens …
    await click(owner.row('/news').click());
    await click(owner.press('Lock'));
    await click(owner.getByText('nobody for now').click());
    await owner.getByLabel('It opens again').fill('2027-03-20T09:00');
    await click(owner.press('Lock it'));
    // … and a screen that says so.
    await click(owner.getByRole('link', { name: 'Screens' }).click());
    await click(owner.press('New screen'));
    await click(owner.getByRole('dialog').getByText('daybreak', { exact: true }).click());
    await type('Its name', 'soon');
    await owner.getByLabel('Shown at').selectOption('news');
    await click(owner.press('Make it'));
    await owner.getByRole('heading', { name: 'soon' }).waitFor();
    await click(owner.getByRole('button', { name: 'Review and go live' }).click());
    await click(owner.getByRole('button', { name: 'Go live', exact: true }).click());
    await owner.getByRole('dialog').waitFor({ state: 'detached' });
    assert.ok(clicks <= 12, `${clicks} clicks`);
    assert.ok(typed <= 2, `${typed} typed`);
    const { status, text } = await running.visit('/news');
    assert.equal(status, 503);
    for (const said of ['Opening soon', 'March 20, 2027', 'type="email"', 'class="art"'])
      assert.ok(text.includes(said), said);
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });

  for (const [width, colorScheme] of [
    [390, 'light'],
    [1280, 'dark'],
  ] as const) {
    test(`at ${width} pixels, ${colorScheme}, every panel is whole`, async () => {
      const owner = await enter('/screens', { width, colorScheme, height: 844 });
      assert.deepEqual(await owner.axe(), []);
      await owner.getByRole('button', { name: 'Design evening' }).click();
      await owner.drawn().getByRole('heading').waitFor();
      if (width < 600) await owner.getByText('what it is made of', { exact: true }).click();
      // All but the first, which is open: opened one after the other.
      for (const summary of await owner.locator('.properties summary').all()) {
        if ((await summary.locator('..').getAttribute('open')) === null) await summary.click();
        assert.deepEqual(await owner.axe(), [], await summary.innerText());
        const wide = await owner.evaluate(() => document.documentElement.scrollWidth - innerWidth);
        assert.ok(wide <= 0, `${await summary.innerText()}: ${wide} pixels too wide`);
      }
      assert.deepEqual(owner.problems, []);
      await owner.context().close();
    });
  }
});
