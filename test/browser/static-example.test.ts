import assert from 'node:assert/strict';
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { after, before, describe, test } from 'node:test';
import type { Browser } from 'playwright-core';
import { freshPage, launch, skipBrowser } from '../support/browser.js';
import { repository } from '../support/command-line.js';
import { until } from '../support/sites.js';

const skip = skipBrowser || (process.env['DORLIN_MISSING']?.includes('nginx') === true ? 'nginx is missing' : false);

/** Four in a row, where nobody else is likely to listen. */
const firstPort = 20_000 + 4 * Math.floor(Math.random() * 2000);

describe('the example of a host for files', { skip }, () => {
  let browser: Browser;
  let started: ChildProcess;
  let printed = '';
  before(async () => {
    browser = await launch();
    started = spawn('npm', ['start'], {
      cwd: `${repository}/examples/static`,
      detached: true,
      stdio: ['ignore', 'pipe', 'pipe'],
      env: { ...process.env, PORT: String(firstPort) },
    });
    const isUp = new Promise<void>((up, ended) => {
      for (const stream of [started.stdout, started.stderr]) {
        stream?.on('data', (text) => {
          printed += String(text);
          if (printed.includes('Ctrl-C ends it')) up();
        });
      }
      started.once('exit', () => {
        ended(new Error(printed));
      });
    });
    await isUp;
  });
  after(async () => {
    await browser.close();
    if (started.exitCode !== null || started.pid === undefined) return;
    const ended = once(started, 'exit');
    process.kill(-started.pid, 'SIGTERM');
    await ended;
  });
  const addressOf = (what: string) => new RegExp(`${what}\\s+(http\\S+)`).exec(printed)?.[1] ?? '';

  for (const host of [
    'Sealed, from a server for files',
    'Sealed, from nginx with a dozen lines',
    'Sealed, from `vite preview`',
  ]) {
    test(`${host}: a folder, a picture in it, a section, three wrong ones`, async () => {
      const page = await freshPage(browser, addressOf(host));
      await page.goto('members/gallery');
      await page.locator('#password').fill('plover-kettle-amber-dome');
      await page.keyboard.press('Enter');
      await page.getByRole('heading', { name: 'Gallery' }).waitFor();
      const widths = await page
        .locator('main img')
        .evaluateAll((all) =>
          Promise.all(
            all.map((one) => (one as HTMLImageElement).decode().then(() => (one as HTMLImageElement).naturalWidth)),
          ),
        );
      assert.equal(widths.length > 2 && widths.every((width) => width > 50), true);
      await page.goto('events');
      await page.locator('input[name=password]').fill('nine-stones-one-flask');
      await page.keyboard.press('Enter');
      await page.getByText('ninth boundary stone').waitFor();
      const other = await freshPage(browser, addressOf(host));
      await other.goto('members/log');
      for (const wrong of ['one', 'two']) {
        await other.locator('#password').fill(wrong);
        await other.keyboard.press('Enter');
        // Another screen comes in its place, which says so.
        await other.locator('#password:focus').waitFor();
        await until(async () => (await other.locator('#password').inputValue()) === '');
        await other.locator('#error').waitFor();
      }
      await other.locator('#password').fill('three');
      await other.keyboard.press('Enter');
      await other.waitForURL(/members\/join/);
    });
  }

  test('unsealed, from `vite preview`: the guard asks there', async () => {
    const answer = await fetch(new URL('members/log', addressOf('Unsealed, from `vite preview` behind the guard')));
    assert.deepEqual([answer.status, (await answer.text()).includes('dorlin-area')], [403, false]);
  });
});
