import assert from 'node:assert/strict';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { execa } from 'execa';
import type { Browser } from 'playwright-core';
import sirv from 'sirv';
import { axeOf, launch, skipBrowser } from '../support/browser.js';
import { repository } from '../support/command-line.js';
import { temporaryFolder } from '../support/sites.js';

describe('the workbench, which has no server', { skip: skipBrowser }, () => {
  let browser: Browser;
  let server: Server;
  let url: string;
  let remove: () => Promise<void>;
  before(async () => {
    const made = await temporaryFolder();
    ({ remove } = made);
    const vite = join(repository, 'node_modules/vite/bin/vite.js');
    const options = ['build', '--outDir', made.folder, '--emptyOutDir', '--logLevel', 'error'];
    [browser] = await Promise.all([
      launch(),
      execa(process.execPath, [vite, ...options], { cwd: join(repository, 'examples/workbench') }),
    ]);
    const files = sirv(made.folder);
    server = createServer((request, response) => {
      files(request, response, () => {
        response.writeHead(404).end();
      });
    });
    await new Promise<void>((listening) => server.listen(0, '127.0.0.1', listening));
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  });
  after(async () => {
    await browser.close();
    server.close();
    await remove();
  });

  const open = async (width = 1280, colorScheme: 'light' | 'dark' = 'light') => {
    const page = await browser.newPage({ viewport: { width, height: 800 }, colorScheme });
    const problems: string[] = [];
    const asked: string[] = [];
    page.on('console', (message) => {
      if (message.type() === 'error') problems.push(message.text());
    });
    page.on('pageerror', (error) => problems.push(error.message));
    page.on('request', (request) => asked.push(request.url()));
    await page.goto(url);
    await page.getByRole('row', { name: '/members/log' }).waitFor();
    const gets = (address: string) =>
      page
        .getByRole('row')
        .filter({ has: page.getByRole('rowheader', { name: address, exact: true }) })
        .locator('td')
        .first();
    return Object.assign(page, { problems, asked, gets });
  };

  test('decides places by the policy that is typed, for whoever looks', async () => {
    const page = await open();
    assert.equal(await page.gets('/').innerText(), 'gets it, as everybody does');
    for (const address of ['/members/log', '/MEMBERS//log', '/press/2026/comet.pdf', '/shop/'])
      assert.equal(await page.gets(address).innerText(), 'is not let in', address);
    assert.equal(await page.gets('/members/join').innerText(), 'gets it, as everybody does');
    assert.equal(await page.gets('/events#night-walk').innerText(), 'gets the page without that part');
    await page.getByLabel('Seen by').selectOption('guest members');
    assert.equal(await page.gets('/members/log').innerText(), 'is let in');
    await page.getByLabel('Seen by').selectOption('role');
    await page.locator('#what').fill('editor');
    assert.equal(await page.gets('/press/2026/comet.pdf').innerText(), 'is let in');
    await page.getByLabel('Seen by').selectOption('address');
    await page.locator('#what').fill('203.0.113.9');
    assert.equal(await page.gets('/members/log').innerText(), 'is let in');
    await page.locator('#what').fill('no address');
    assert.equal(await page.gets('/members/log').innerText(), 'is not let in');
    await page.getByLabel('Seen by').selectOption('stranger');
    await page.getByLabel('at', { exact: true }).fill('2027-04-01T12:00');
    assert.equal(await page.gets('/shop/').innerText(), 'gets it, as everybody does');
    assert.deepEqual(page.problems, []);
    await page.close();
  });

  test('names a mistake with its line, and goes on with the last policy that was right', async () => {
    const page = await open();
    const policy = page.getByRole('textbox', { name: 'The policy' });
    await policy.fill('dorlin: 1\nsite: { name: K }\nlocks:\n  a: { covrs: [/a] }\n');
    const problem = page.getByRole('button', { name: /Line 4/ }).first();
    await problem.waitFor();
    assert.equal(await page.gets('/members/log').innerText(), 'is not let in');
    await problem.click();
    assert.ok(await policy.evaluate((field) => field === document.activeElement));
    await policy.fill('dorlin: 1\nsite: { name: "<b>K</b>" }\nlocks:\n  a: { covers: [/] }\n');
    await problem.waitFor({ state: 'detached' });
    assert.equal(await page.gets('/').innerText(), 'is not let in');
    await page.getByLabel('Addresses, one a line').fill('/<img src=x onerror=alert(1)>\n/%zz');
    assert.equal(await page.locator('#decided img').count(), 0);
    assert.equal(await page.gets('/%zz').innerText(), 'is refused: nobody gets it');
    await page.close();
  });

  test('draws screens, judges passwords, and asks nothing of anybody', async () => {
    const page = await open();
    await page.getByRole('tab', { name: 'Screens' }).click();
    await page.locator('#screen').selectOption('evening');
    await page.locator('#language').selectOption('fr');
    await page.frameLocator('#drawing').getByRole('heading', { name: 'Le carnet du soir' }).waitFor();
    await page.getByRole('tab', { name: 'Screens' }).press('ArrowRight');
    const field = page.getByRole('textbox', { name: 'A password' });
    await field.fill('kestrelmoor2026');
    await page.getByText(/^Guessable/).waitFor();
    await page.getByRole('button', { name: 'Propose one' }).click();
    await page.getByText(/^Strong/).waitFor();
    assert.match(await field.inputValue(), /^\w+-\w+-\w+-\w+-\w+$/);
    assert.deepEqual(
      page.asked.filter((one) => !one.startsWith(url) && !/^(?:about|data):/.test(one)),
      [],
    );
    assert.deepEqual(page.problems, []);
    await page.close();
  });

  for (const [width, scheme] of [
    [1280, 'light'],
    [360, 'dark'],
  ] as const) {
    test(`is whole at ${width} pixels, ${scheme}`, async () => {
      const page = await open(width, scheme);
      for (const name of ['Places', 'Screens', 'Passwords']) {
        await page.getByRole('tab', { name }).click();
        // What is drawn is judged by itself.
        assert.deepEqual(
          (await axeOf(page)).filter((fault) => !fault.includes('drawing')),
          [],
          name,
        );
        const wide = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
        assert.ok(wide <= 0, `${name}: ${wide} pixels too wide`);
      }
      await page.close();
    });
  }
});
