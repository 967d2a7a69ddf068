import assert from 'node:assert/strict';
import { readFile, writeFile } from 'node:fs/promises';
import { after, before, describe, test } from 'node:test';
import { gzipSync } from 'node:zlib';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { launch, skipBrowser } from '../support/browser.js';
import { dorlin, repository } from '../support/command-line.js';
import { atConsole, runConsole, type RunningConsole } from '../support/console-browser.js';
import { until } from '../support/sites.js';

const policy = `# Kept by hand.
dorlin: 1
site: { name: Kestrelmoor, origin: https://kestrelmoor.example, folder: dist, timeZone: Europe/Dublin, languages: [en, fr] }
journal: { file: journal.jsonl, keep: 90 days }
locks:
  members: { title: The members’ pages, covers: [/members/], except: [/members/join], remember: 30 days }
bypasses:
  office: { addresses: [203.0.113.0/24] }
`;
const page = (title: string, more = '') =>
  `<!doctype html><html lang=en><title>${title} · Kestrelmoor</title><h1>${title}</h1>${more}`;
const files = {
  'index.html': page('Start', '<a href="/events">Events</a>'),
  'about.html': page('About us'),
  'events.html': page('Events', '<section id="night-walk"><h2>The night walk</h2><p>Meet at the gate.</p></section>'),
  'members/index.html': page('Members', '<p>CANARY</p>'),
  'members/log.html': page('Observing log'),
  'members/join.html': page('Join us'),
  ...Object.fromEntries(Array.from({ length: 200 }, (_, at) => [`archive/${at}.html`, page(`Night ${at}`)])),
};

describe('the console, as owners use it', { skip: skipBrowser }, () => {
  let browser: Browser;
  let running: RunningConsole;
  let state: Parameters<typeof atConsole>[2];
  const live = () => readFile(running.policyFile, 'utf8');
  const enter = (more: Parameters<typeof atConsole>[2] = {}) => atConsole(browser, running, { ...state, ...more });
  before(async () => {
    [browser, running] = await Promise.all([launch(), runConsole(policy, files)]);
    const imke = await atConsole(browser, running, { invitation: running.invitation });
    state = { state: await imke.state() };
    await imke.context().close();
  });
  after(async () => {
    await browser.close();
    await running.close();
  });

  test('a page is locked in five clicks, with nothing typed; a stranger is asked, and the password opens', async (t) => {
    const owner = await enter();
    let clicks = 0;
    const click = async (work: Promise<void>) => {
      clicks++;
      await work;
    };
    await click(owner.row('/about').click());
    await click(owner.press('Lock'));
    const field = owner.getByLabel('The password', { exact: true });
    await until(async () => (await field.inputValue()) !== '');
    const password = await field.inputValue();
    await click(owner.press('Lock it'));
    assert.doesNotMatch(await live(), /about/);
    await click(owner.getByRole('button', { name: 'Review and go live' }).click());
    await owner.getByText('closes 1 place to strangers, opens none; one password more').last().waitFor();
    await click(owner.getByRole('button', { name: 'Go live', exact: true }).click());
    await owner.getByRole('dialog').waitFor({ state: 'detached' });
    t.diagnostic(`${clicks} presses, 0 fields typed`);
    assert.ok(clicks <= 5, `${clicks} clicks`);
    assert.match(await live(), /^# Kept by hand\.[^]*about:/);
    const explained = await dorlin(
      running.folder,
      ['explain', '/about', '--password-stdin', '--json'],
      `${password}\n`,
    );
    assert.equal((JSON.parse(explained.stdout) as { decision: string }).decision, 'let-in');
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });

  test('whose eyes one looks through is seen in list, counts and door', async () => {
    const owner = await enter();
    await owner.getByRole('button', { name: 'A stranger now' }).click();
    await owner.getByText('somebody from an address').click();
    await owner.getByLabel('Network address').fill('203.0.113.9');
    await owner.press('Look through these eyes');
    await owner.getByText('A stranger from 203.0.113.9 now').waitFor();
    await owner.row('/members/').click();
    await owner.getByText('Let somebody in').click();
    await owner.getByLabel('office').check();
    await owner.press('Put it in the draft');
    await owner.getByText('is let in, though it is under members').waitFor();
    await owner.getByRole('button', { name: /^A stranger from/ }).click();
    await owner.getByText('a stranger', { exact: true }).click();
    await owner.press('Look through these eyes');
    // Nothing opens it but the office, so it is closed to others, with nothing to type.
    await owner.getByText('A stranger finds it closed').waitFor();
    await owner.press('Undo');
    await owner.getByRole('button', { name: 'Review and go live' }).waitFor({ state: 'detached' });
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });

  test('200 pages are chosen by keyboard, locked at once, and released at once', async () => {
    const owner = await enter();
    await owner.getByLabel('Find a page').fill('archive');
    const tree = owner.getByRole('tree');
    await tree.focus();
    await owner.keyboard.press('Control+a');
    await owner.getByRole('heading', { name: '201 places' }).waitFor();
    // The folder and each page in it; the folder alone would do, and is unchosen to try the pages.
    await owner.keyboard.press('Home');
    await owner.keyboard.press('ArrowDown');
    await owner.keyboard.press('Shift+End');
    await owner.getByRole('heading', { name: '200 places' }).waitFor();
    await owner.press('Lock');
    await owner.getByLabel('Its name').fill('archive');
    await owner.press('Lock it');
    await owner.goLive();
    assert.equal((await live()).match(/\/archive\/\d+/g)?.length, 200);
    await owner.getByRole('heading', { name: '200 places' }).waitFor();
    await owner.press('Release');
    await owner.press('Release');
    await owner.goLive();
    assert.doesNotMatch(await live(), /archive/);
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });

  test('the site itself: links are followed, and a part is locked by pointing and by keyboard', async () => {
    const owner = await enter();
    await owner.getByText('as the site').click();
    const framed = owner.frameLocator('iframe[title="The site"]');
    await framed.getByRole('link', { name: 'Events' }).click();
    await owner.getByRole('heading', { name: 'Events' }).waitFor();
    // The frame has no origin of its own, and reaches nothing of the console.
    const frame = await (await owner.locator('iframe[title="The site"]').elementHandle()).contentFrame();
    // As text, as it is read in the page.
    const reached = await frame?.evaluate(`(async () => {
      const tried = async (work) => { try { return String(await work()); } catch { return 'refused'; } };
      return [
        await tried(() => document.cookie),
        await tried(() => window.parent.document.title),
        await tried(async () => (await fetch('${running.url}api/session', { credentials: 'include' })).text()),
        await tried(() => window.top.location.assign('https://evil.example/')),
      ];
    })()`);
    assert.deepEqual(reached, ['refused', 'refused', 'refused', 'refused']);
    await owner.getByText('a part of it').click();
    await owner.waitForTimeout(100);
    await framed.getByText('Meet at the gate').click();
    await owner.getByRole('heading', { name: 'The night walk' }).waitFor();
    await owner.getByLabel('Parts of this page').selectOption({ label: 'The night walk' });
    await owner.press('Lock');
    await owner.press('Lock it');
    await owner.getByText('closes 1 place to strangers').waitFor();
    await owner.getByText('Meet at the gate').waitFor({ state: 'detached' });
    await owner.goLive();
    assert.match(await live(), /\/events#night-walk/);
    assert.ok(owner.url().startsWith(running.url));
    await owner.context().close();
  });

  test('ways in: handed out, rotated with an overlap, planned ahead, retired at once; links and rules', async (t) => {
    const owner = await enter();
    await owner.getByRole('link', { name: 'Ways in' }).click();
    const members = owner.getByRole('region', { name: 'members' });
    await members.getByRole('button', { name: 'Add a password' }).click();
    await owner.getByLabel('The password', { exact: true }).fill('letmein');
    await owner.getByText(/guess/).waitFor();
    await owner.getByLabel('The password', { exact: true }).fill('comet lantern gravel');
    await owner.getByLabel('Whom it is for').fill('Season 2026');
    await owner.press('Add it');
    await members.getByRole('button', { name: 'Hand out Season 2026' }).click();
    assert.equal(await owner.getByTestId('password').innerText(), 'comet lantern gravel');
    await owner.getByLabel('In', { exact: true }).selectOption('fr');
    await owner.getByText('Le mot de passe').waitFor();
    await owner.getByAltText('A sheet to print').waitFor();
    await owner.keyboard.press('Escape');
    owner.begin();
    await members.getByRole('button', { name: 'Rotate Season 2026' }).click();
    await until(async () => (await owner.getByLabel('The password', { exact: true }).inputValue()) !== '');
    await owner.getByLabel('Whom it is for').fill('Season 2027');
    await owner.getByText('goes on for a while').click();
    await owner.press('Put it in the old one’s place');
    await members.getByRole('row', { name: /Season 2027/ }).waitFor();
    await members.getByRole('row', { name: /Season 2026.*until/ }).waitFor();
    await members.getByRole('button', { name: 'Plan ahead' }).click();
    await owner.getByLabel('How many').fill('3');
    await owner.press('Make them');
    const planned = owner.getByRole('table', { name: /members/ });
    await planned.waitFor();
    assert.equal(await planned.getByRole('row').count(), 4);
    await owner.press('Done');
    await owner.walked(t, { presses: 6, typed: 2 });
    await members.getByRole('button', { name: 'Make a link' }).click();
    await owner.getByLabel('Whom it is for').fill('Guest speaker');
    await owner.press('Make the link');
    await owner
      .getByText(/_dorlin\/enter\?link=/)
      .first()
      .waitFor();
    await owner.keyboard.press('Escape');
    await owner.getByRole('button', { name: 'Let somebody in' }).click();
    await owner.getByLabel('Name of this rule').fill('desk');
    await owner.getByRole('button', { name: 'Let it in' }).click();
    await owner.getByRole('checkbox', { name: 'members' }).check();
    await owner.press('Let them in');
    await owner.getByRole('row', { name: /desk.*127\.0\.0\.1/ }).waitFor();
    await owner.goLive();
    await members.getByRole('button', { name: 'Retire Season 2026' }).click();
    await owner.getByText('now, by itself').click();
    await owner.press('Retire it now');
    await members.getByRole('row', { name: /Season 2026/ }).waitFor({ state: 'detached' });
    assert.doesNotMatch(await live(), /Season 2026/);
    assert.match(await live(), /Season 2027[^]*desk/);
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });

  test('a keeper is invited, rotates a password that counts at once, and sees nothing to open or close', async () => {
    const owner = await enter();
    await owner.getByRole('link', { name: 'Settings' }).click();
    await owner.getByRole('button', { name: 'Invite somebody' }).click();
    await owner.getByRole('checkbox', { name: 'members' }).check();
    await owner.press('Make an invitation');
    const invitation = await owner.getByTestId('invitation').innerText();
    const kit = await atConsole(browser, running, { invitation, name: 'Kit' });
    await kit.row('/members/').click();
    assert.equal(await kit.getByRole('button', { name: 'Release' }).count(), 0);
    assert.equal(await kit.getByRole('link', { name: 'Settings' }).count(), 0);
    await kit.getByRole('link', { name: 'Ways in' }).click();
    await kit.getByRole('button', { name: 'Rotate Season 2027' }).click();
    await kit.getByText('It counts at once').waitFor();
    await until(async () => (await kit.getByLabel('The password', { exact: true }).inputValue()) !== '');
    await kit.getByLabel('Whom it is for').fill('By Kit');
    await kit.press('Put it in the old one’s place');
    await kit.getByRole('row', { name: /By Kit/ }).waitFor();
    assert.match(await live(), /By Kit/);
    // The owner, at the same time, is told and sees it.
    await owner.keyboard.press('Escape');
    await owner.getByRole('link', { name: 'Ways in' }).click();
    await owner.getByRole('row', { name: /By Kit/ }).waitFor();
    await kit.context().close();
    await owner.context().close();
  });

  test('the whole site is closed for a week, in sentences, and opens by itself; the last step is taken back', async (t) => {
    const owner = await enter();
    const before = await live();
    await owner.getByRole('button', { name: 'The whole site' }).click();
    await owner.getByRole('heading', { name: 'The whole site' }).waitFor();
    await owner.press('Lock');
    await owner.getByText('without: only by roles').click();
    await owner.getByLabel('Its name').fill('closed');
    await owner.press('Lock it');
    const lock = owner.getByRole('region', { name: 'The lock closed' });
    await lock.getByRole('button', { name: 'the screen' }).click();
    await owner.getByText('a closed notice').click();
    await owner.press('Put it in the draft');
    await lock.getByRole('button', { name: 'always' }).click();
    const week = new Date(Date.now() + 7 * 86_400_000).toISOString().slice(0, 10);
    await owner.getByLabel('Until').fill(`${week}T09:00`);
    await owner.press('Put it in the draft');
    await lock.getByRole('button', { name: /^until .* 09:00$/ }).waitFor();
    await lock.getByRole('button', { name: 'Leave something out' }).click();
    await owner.getByLabel('Add').fill('/about /events');
    await owner.press('Put it in the draft');
    await lock.getByText('/about and /events').waitFor();
    await owner.goLive();
    await owner.walked(t, { presses: 16, typed: 3 });
    const explained = async (...more: string[]) => {
      const { stdout } = await dorlin(running.folder, ['explain', '/archive/1', ...more, '--json']);
      return (JSON.parse(stdout) as { outcome: string }).outcome;
    };
    assert.equal(await explained(), 'closed');
    assert.equal(await explained('--at', '8 days'), 'open');
    // As it will be then, seen here.
    await owner.getByRole('button', { name: 'A stranger now' }).click();
    await owner.getByText('at another moment').click();
    await owner.getByLabel('Moment', { exact: true }).fill(`${week}T10:00`);
    await owner.press('Look through these eyes');
    await owner.getByText(/A stranger on .*10:00/).waitFor();
    await owner.getByRole('link', { name: 'Settings' }).click();
    await owner.press('Step back');
    await owner.press('Take it back');
    await owner.getByText('Taken back: what was done').waitFor();
    assert.equal(await live(), before);
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });

  test('a console that is gone says so, and goes on by itself', async () => {
    const owner = await enter();
    await owner.route('**/api/lock.change', (route) => route.abort());
    await owner.row('/about').click();
    await owner.press(/^(?:Another lock|Lock)$/);
    await owner.getByLabel('Its name').fill('kept-as-typed');
    await owner.press('Lock it');
    await owner.getByRole('dialog').getByText('The console does not answer').waitFor();
    assert.equal(await owner.getByLabel('Its name').inputValue(), 'kept-as-typed');
    await owner.unroute('**/api/lock.change');
    await owner.press('Lock it');
    await owner.getByRole('dialog').waitFor({ state: 'detached' });
    await owner.press('Undo');
    await owner.getByRole('button', { name: 'Review and go live' }).waitFor({ state: 'detached' });
    await owner.context().close();
  });

  test('a policy that is edited by hand meanwhile, and one that is broken, are shown with the way out', async () => {
    const owner = await enter();
    // Who is quicker than the proposal of a password waits for it, and is not told that one is missing.
    await owner.route('**/api/password.propose', async (route) => {
      await new Promise((resolve) => setTimeout(resolve, 700));
      await route.continue();
    });
    await owner.row('/events').click();
    await owner.press('Lock');
    await owner.press('Lock it');
    await owner.getByRole('button', { name: 'Review and go live' }).waitFor();
    const text = await live();
    await writeFile(running.policyFile, text.replace('remember: 30 days', 'remember: 60 days'));
    await owner.getByText('The policy was changed meanwhile').waitFor();
    await owner.getByRole('button', { name: 'Review and go live' }).click();
    assert.ok(await owner.getByRole('button', { name: 'Go live', exact: true }).isDisabled());
    await owner.press('Take the change in');
    await owner.getByRole('button', { name: 'Go live', exact: true }).and(owner.locator(':enabled')).click();
    await owner.getByRole('dialog').waitFor({ state: 'detached' });
    assert.match(await live(), /60 days[^]*\/events/);
    await writeFile(running.policyFile, text.replace('covers: [/members/]', 'cover: [/members/]'));
    await owner.getByRole('heading', { name: 'The policy has a mistake' }).waitFor();
    await owner
      .getByText(/unknown|covers/)
      .first()
      .waitFor();
    await writeFile(running.policyFile, text);
    await owner.getByRole('tree').waitFor();
    await owner.context().close();
  });

  test('every room is clean of what axe finds, light and dark, wide and narrow', async () => {
    for (const [width, height] of [
      [1280, 800],
      [390, 844],
    ] as const) {
      for (const colorScheme of ['light', 'dark'] as const) {
        const owner = await enter({ width, height, colorScheme });
        const name = `${width} ${colorScheme}`;
        assert.deepEqual(await owner.axe(), [], `places, ${name}`);
        await owner.row('/members/').click();
        await owner.getByRole('heading', { name: 'Members' }).waitFor();
        assert.deepEqual(await owner.axe(), [], `door, ${name}`);
        await owner.getByRole('button', { name: 'Another lock' }).click();
        assert.deepEqual(await owner.axe(), [], `dialog, ${name}`);
        await owner.keyboard.press('Escape');
        for (const [room, heading] of [
          ['Ways in', 'Ways in'],
          ['Seal', 'Sealed files'],
          ['Settings', 'Settings'],
        ] as const) {
          await owner.getByRole('link', { name: room, exact: true }).click();
          await owner.getByRole('heading', { name: heading, exact: true }).waitFor();
          assert.deepEqual(await owner.axe(), [], `${room}, ${name}`);
          assert.ok(await owner.evaluate(() => document.documentElement.scrollWidth <= innerWidth), `${room}, ${name}`);
        }
        assert.deepEqual(owner.problems, [], name);
        await owner.context().close();
      }
    }
  });

  test('who signs out is out, and comes back by name and password', async () => {
    const owner = await enter();
    await owner.getByText('Imke', { exact: true }).click();
    await owner.getByRole('button', { name: 'Sign out' }).click();
    await owner.getByLabel('Name').fill('imke');
    await owner.getByLabel('Password', { exact: true }).fill('wrong');
    await owner.press('Sign in');
    await owner.getByText('Name or password is wrong').waitFor();
    await owner.getByLabel('Password', { exact: true }).fill('comet lantern gravel sixpence');
    await owner.press('Sign in');
    await owner.getByRole('tree').waitFor();
    await owner.context().close();
  });
});

test(
  'ten thousand pages with hostile names are text, and are moved through without lag',
  { skip: skipBrowser },
  async () => {
    const hostile = [
      '<img src=x onerror=alert(1)>',
      '"><script>alert(1)</script>',
      "'; DROP",
      '\u202Egnp.exe',
      'ﷺ',
      'a'.repeat(180),
    ];
    const files = Object.fromEntries([
      ...Array.from({ length: 9994 }, (_, at) => [`part-${at % 100}/page-${at}.html`, '']),
      ...hostile.map((name, at) => [
        `odd/${name.replaceAll('/', '∕')}.html`,
        `<title>${at} &lt;img src=x onerror=alert(1)&gt;</title>`,
      ]),
    ]) as Record<string, string>;
    const [browser, running] = await Promise.all([
      launch(),
      runConsole('dorlin: 1\nsite: { name: "<b>Big</b>", folder: dist }\n', files),
    ]);
    const owner = await atConsole(browser, running, { invitation: running.invitation });
    await owner.getByText('10000 of 10000 pages').waitFor();
    await owner.getByLabel('Find a page').fill('onerror');
    await owner.getByRole('treeitem').first().waitFor();
    assert.equal(await owner.locator('.tree img, .tree script').count(), 0);
    assert.equal(await owner.getByText('<b>Big</b>').count(), 1);
    await owner.getByLabel('Find a page').fill('page-');
    const tree = owner.getByRole('tree');
    await tree.focus();
    await owner.keyboard.press('Control+a');
    await owner.getByRole('heading', { name: '10094 places' }).waitFor();
    assert.ok((await owner.getByRole('treeitem').count()) < 60, 'only what is in sight is drawn');
    assert.deepEqual(owner.problems, []);
    await browser.close();
    await running.close();
  },
);

test('the first load is at most 180 kB of script, gzipped; further rooms come when they are entered', () => {
  const folder = join(repository, 'dist/console-app');
  const html = readFileSync(join(folder, 'index.html'), 'utf8');
  assert.doesNotMatch(html, /<style|<script>|https?:/);
  const first = [...html.matchAll(/(?:src|href)="(\/assets\/[^"]+\.js)"/g)].map(([, path]) => path ?? '');
  const size = first.reduce((sum, path) => sum + gzipSync(readFileSync(join(folder, path))).length, 0);
  assert.ok(first.length > 0 && size <= 180_000, `${size}`);
  const all = readdirSync(join(folder, 'assets')).filter((name) => name.endsWith('.js'));
  assert.ok(all.length >= first.length + 3, all.join());
});

test('the designer brings along at most 120 kB of script, gzipped', (t) => {
  const assets = join(repository, 'dist/console-app/assets');
  const [room] = readdirSync(assets).filter((name) => /^room-.*\.js$/.test(name));
  assert.ok(room !== undefined);
  // With all that it imports and the first load does not have.
  const index = readdirSync(assets).find((name) => /^index-.*\.js$/.test(name)) ?? '';
  const seen = new Set([index]);
  const add = (name: string): number => {
    if (seen.has(name)) return 0;
    seen.add(name);
    const code = readFileSync(join(assets, name));
    const imports = [...code.toString().matchAll(/(?:from|import)\s*["']\.\/([^"']+\.js)["']/g)];
    return gzipSync(code).length + imports.reduce((sum, [, other = '']) => sum + add(other), 0);
  };
  const size = add(room);
  t.diagnostic(`${(size / 1000).toFixed(1)} kB`);
  assert.ok(size <= 120_000, `${size}`);
});
