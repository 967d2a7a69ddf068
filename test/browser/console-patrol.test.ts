import assert from 'node:assert/strict';
import { keepFailedNight } from '../../src/owner/patrol/kept-patrols.js';
import { after, before, describe, test } from 'node:test';
import type { Browser } from 'playwright-core';
import { launch, skipBrowser } from '../support/browser.js';
import { dorlin } from '../support/command-line.js';
import { atConsole, runConsole, type RunningConsole } from '../support/console-browser.js';

const policy = `# Kept by hand.
dorlin: 1
site: { name: Kestrelmoor, folder: dist, timeZone: Europe/Dublin }
journal: { keep: 90 days }
locks:
  members: { title: The members’ pages, covers: [/members/] }
`;
const page = (title: string, more = '') =>
  `<!doctype html><html lang=en><title>${title}</title><h1>${title}</h1>${more}`;
// The plan of the members lies beside their pages, where nobody has thought of it.
const files = {
  'index.html': page('Start', '<a href="/members/">Members</a>'),
  'members/index.html': page(
    'Members',
    '<p>The dome key hangs behind the clock in the hall.</p><a href="/files/plan.pdf">Plan</a>',
  ),
  'files/plan.pdf': `%PDF-1.4 ${'The plan of the dome, for members. '.repeat(20)}`,
};

describe('log, patrol and reasons, as owners use them', { skip: skipBrowser }, () => {
  let browser: Browser;
  let running: RunningConsole;
  let state: Parameters<typeof atConsole>[2];
  const enter = async (path: string, more: Parameters<typeof atConsole>[2] = {}) => {
    const owner = await atConsole(browser, running, { ...state, ...more });
    await owner.goto(new URL(path, running.url).href);
    return owner;
  };
  before(async () => {
    [browser, running] = await Promise.all([launch(), runConsole(policy, files, true)]);
    const words = ['password', 'add', 'members', '--label', 'Season 2026', '--password-stdin'];
    await dorlin(running.folder, words, 'kestrel over the moor\n');
    const imke = await atConsole(browser, running, { invitation: running.invitation });
    state = { state: await imke.state() };
    await imke.context().close();
  });
  after(async () => {
    await browser.close();
    await running.close();
  });

  test('a patrol finds what lies open, its mend is a draft, and the next one tells that it is gone', async () => {
    const owner = await enter('/patrol');
    assert.equal(await owner.getByLabel('Where the site runs').inputValue(), running.site);
    await owner.press('Run the first patrol');
    await owner.getByText('/files/plan.pdf').first().waitFor({ timeout: 60_000 });
    // Whoever never opens a terminal is told of no commands.
    assert.doesNotMatch(await owner.locator('.findings').innerText(), /dorlin /);
    await owner.press('Put what closes it in the draft');
    await owner.getByText('In the draft: 1 change').waitFor();
    await owner.goLive();
    assert.equal((await running.visit('/files/plan.pdf')).status, 403);
    await owner.press('Run it again');
    await owner.getByRole('heading', { name: 'Gone since the patrol before' }).waitFor({ timeout: 60_000 });
    await owner.getByText('1 gone.').waitFor();
    assert.deepEqual(await owner.axe(), []);
    await owner.goto(running.url);
    await owner.getByText(/^Patrol of .*: nothing leaks/).waitFor();
    await keepFailedNight(running.policyFile, { at: new Date().toISOString(), problem: 'The site is not there.' });
    await owner.reload();
    await owner.getByText(/told nobody anything/).waitFor();
    await owner.getByRole('link', { name: 'See why' }).click();
    await owner.getByText('The site is not there.').waitFor();
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });

  test('every night, with whom it writes to and a line for cron, is a setting like any other', async () => {
    const owner = await enter('/patrol');
    await owner.press('Run it every night');
    await owner.getByLabel('At', { exact: true }).fill('03:30');
    await owner.getByLabel('Write to').fill('imke@kestrelmoor.example');
    await owner.getByText(/^30 3 \* \* \* npx dorlin patrol/).waitFor();
    await owner.press('Put it in the draft');
    await owner.getByText('It runs by itself every night at 03:30').waitFor();
    await owner.press('Undo');
    await owner.getByText('It does not run by itself.').waitFor();
    await owner.context().close();
  });

  test('why a place is shut, and what would change it, is told at its door', async () => {
    const owner = await enter('/');
    await owner.row('/members/').click();
    await owner.getByText('Why, and what would change it').click();
    await owner.getByText('The password “Season 2026” opens members.').waitFor();
    await owner.getByText('So the answer is 403, the screen of members').waitFor();
    assert.deepEqual(await owner.axe(), []);
    await owner.context().close();
  });

  test('what happens at the locks is in the log as it happens, counted, filtered and as CSV', async () => {
    const owner = await enter('/log');
    await owner.getByRole('heading', { name: 'Log' }).waitFor();
    await running.enter('members', 'not this one', ['/members/']);
    await running.enter('members', 'kestrel over the moor', ['/members/']);
    await owner.getByRole('cell', { name: 'unlocked' }).first().waitFor();
    await owner.getByText('members by Season 2026').first().waitFor();
    await owner.getByLabel('Events').selectOption('wrong');
    await owner.getByRole('cell', { name: 'wrong password' }).first().waitFor();
    await owner.getByRole('cell', { name: 'unlocked' }).waitFor({ state: 'detached' });
    assert.match(owner.url(), /kind=wrong/);
    await owner.reload();
    assert.equal(await owner.getByLabel('Events').inputValue(), 'wrong');
    await owner.getByText('As a table').first().click();
    await owner.getByRole('columnheader', { name: 'Wrong tries' }).first().waitFor();
    const [file] = await Promise.all([owner.waitForEvent('download'), owner.press('As CSV')]);
    assert.equal(file.suggestedFilename(), 'journal.csv');
    await owner.getByText('by password and link').click();
    await owner.getByRole('heading', { name: 'Season 2026' }).waitFor();
    assert.deepEqual(await owner.axe(), []);
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });

  for (const colorScheme of ['light', 'dark'] as const) {
    test(`on a phone, ${colorScheme}, both rooms are whole`, async () => {
      for (const room of ['/log', '/patrol']) {
        const owner = await enter(room, { width: 390, height: 844, colorScheme });
        await owner.getByRole('heading', { level: 2 }).first().waitFor();
        await owner.getByText('One moment').waitFor({ state: 'detached' });
        assert.deepEqual(await owner.axe(), [], room);
        const wide = await owner.evaluate(() => document.documentElement.scrollWidth - innerWidth);
        assert.ok(wide <= 0, `${room}: ${wide} pixels too wide`);
        await owner.context().close();
      }
    });
  }
});
