import assert from 'node:assert/strict';
import { readFile } from 'node:fs/promises';
import { after, before, describe, test } from 'node:test';
import type { Browser } from 'playwright-core';
import { launch, skipBrowser } from '../support/browser.js';
import { dorlin } from '../support/command-line.js';
import { atConsole, runConsole, type RunningConsole } from '../support/console-browser.js';

const page = (title: string) => `<!doctype html><html lang=en><title>${title}</title><h1>${title}</h1>`;
const files = {
  'index.html': page('Start'),
  'about.html': page('About us'),
  'members/index.html': page('Members'),
  'members/log.html': page('Log'),
};

describe('the first hour of an owner without a policy', { skip: skipBrowser }, () => {
  let browser: Browser;
  let running: RunningConsole;
  before(async () => {
    [browser, running] = await Promise.all([launch(), runConsole('', files)]);
  });
  after(async () => {
    await browser.close();
    await running.close();
  });

  test('leads from the folder over what is closed to a site that is locked, live and tried', async () => {
    const owner = await atConsole(browser, running, { invitation: running.invitation });
    await owner.getByRole('heading', { name: 'What is your site?' }).waitFor();
    assert.equal(await owner.getByLabel('Its folder').inputValue(), 'dist');
    await owner.getByText('dist with 4 pages').waitFor();
    assert.deepEqual(await owner.axe(), []);
    await owner.getByLabel('What visitors know it by').fill('Kestrelmoor');
    await owner.press('Go on');
    await owner.getByLabel('the folder /members/, 2 pages').check();
    const field = owner.getByLabel('The password', { exact: true });
    await field.and(owner.locator(':not([value=""])')).waitFor();
    const password = await field.inputValue();
    assert.deepEqual(await owner.axe(), []);
    await owner.press('Close it');
    await owner.getByText('Closes 2 places to strangers, and opens none.').waitFor();
    await owner.press('Go live');
    await owner.getByText('It is as you wanted it.').waitFor();
    await owner.getByText('403, the screen of members asking for its password').waitFor();
    assert.deepEqual(await owner.axe(), []);
    const text = await readFile(running.policyFile, 'utf8');
    assert.match(text, /name: Kestrelmoor[^]*folder: dist[^]*members:/);
    const explained = await dorlin(
      running.folder,
      ['explain', '/members/log', '--password-stdin', '--json'],
      `${password}\n`,
    );
    assert.equal((JSON.parse(explained.stdout) as { decision: string }).decision, 'let-in');
    // And on in the rooms, where the site can be seen as it is.
    await owner.press('To all places');
    await owner.row('/members/').waitFor();
    await owner.getByText('as the site').click();
    await owner.frameLocator('.site-view iframe').getByRole('heading', { name: 'Start' }).waitFor();
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });
});
