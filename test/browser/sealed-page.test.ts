import assert from 'node:assert/strict';
import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { test } from 'node:test';
import { sealPage } from '../../src/owner/seal-page.js';
import { launch, skipBrowser } from '../support/browser.js';
import { plainHost, siteToSeal, testRounds } from '../support/sealed.js';

const dot = Buffer.from(
  'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
  'base64',
);
const files = {
  'index.html': 'x',
  'style.css': '@import "more.css"; h1 { color: rgb(1, 2, 3) }',
  'more.css': 'body { background-image: url(/pictures/dot.png) }',
  'pictures/dot.png': dot,
  'press/secret.png': Buffer.from('CANARY-OF-ANOTHER-LOCK'),
  'members/log.html': `<!doctype html><html lang=en><meta charset=utf-8><title>Log é</title>
    <link rel="stylesheet" href="../style.css"><script src="code.js"></script>
    <h1>Log é CANARY-LOG</h1><img id="dot" src="../pictures/dot.png"><img src="/press/secret.png"><img src="https://elsewhere.example/x.png"><img src="../../../etc/passwd"><p data-dorlin-lock="press">CANARY-PRESS</p>`,
  'members/code.js': 'addEventListener("DOMContentLoaded", () => (document.body.dataset.ran = "</script> yes"));',
};
const locks = {
  members: {
    covers: ['/members/'],
    passwords: { aa: 'comet lantern', bb: 'second way' },
    remember: { choice: '30 days' },
    title: 'The log',
  },
  press: { covers: ['/press/'], passwords: { cc: 'embargo' } },
  both: { covers: ['/both/'], passwords: { dd: 'more' }, requires: ['press'] },
};

test('one page opens itself from a disk and from a host, with all that it needs', { skip: skipBrowser }, async (t) => {
  const site = await siteToSeal(locks, files);
  const browser = await launch();
  const host = await plainHost(site.folder);
  t.after(async () => {
    await browser.close();
    host.close();
    await site.remove();
  });
  const out = join(site.folder, 'log.html');
  const order = { file: join(site.site, 'members/log.html'), out, acceptWeak: true, rounds: testRounds };
  const { lock, outside } = await sealPage(site.policyFile, order);
  assert.equal(lock, 'members');
  assert.deepEqual(outside, ['../../../etc/passwd', '/press/secret.png', 'https://elsewhere.example/x.png']);
  const text = await readFile(out, 'utf8');
  assert.doesNotMatch(text, /CANARY/);
  await sealPage(site.policyFile, order);
  assert.equal(await readFile(out, 'utf8'), text, 'the same again gives the same bytes');

  for (const address of [`file://${out}`, new URL('log.html', host.url).href]) {
    const context = await browser.newContext();
    context.setDefaultTimeout(10_000);
    const page = await context.newPage();
    const type = async (password: string) => {
      await page.locator('#password').fill(password);
      await page.getByRole('button', { name: 'Open the page' }).click();
    };
    await page.goto(address);
    await type('not it');
    await page.getByRole('alert').getByText('That is not the password').waitFor();
    await page.getByText('Stay unlocked').click();
    await type(' second way');
    await page.getByRole('heading', { name: 'Log é CANARY-LOG' }).waitFor();
    assert.doesNotMatch(await page.content(), /CANARY-PRESS/);
    const style = await page.evaluate(() => ({
      color: getComputedStyle(document.querySelector('h1') as Element).color,
      ground: getComputedStyle(document.body).backgroundImage.slice(0, 20),
      width: (document.querySelector('#dot') as HTMLImageElement).naturalWidth,
      ran: document.body.dataset['ran'],
    }));
    assert.deepEqual(style, { color: 'rgb(1, 2, 3)', ground: 'url("data:image/png;', width: 1, ran: '</script> yes' });
    // As often as the lock says, and no oftener.
    await page.goto(address);
    await page.getByRole('heading', { name: 'Log é CANARY-LOG' }).waitFor();
    await context.close();
  }
  const broken = text.replace(/(id="dorlin-sealed">[^<]{60})[^<]{4}/, '$1AAAA');
  await writeFile(out, broken);
  const page = await browser.newPage();
  await page.goto(`file://${out}`);
  await page.locator('#password').fill('comet lantern');
  await page.keyboard.press('Enter');
  await page.getByText('What came from the server is damaged').waitFor();
  assert.doesNotMatch(await page.content(), /CANARY/);
});

test('a page that one password cannot open alone, or that nothing covers, is refused; a file is not written over', async (t) => {
  const site = await siteToSeal(locks, { ...files, 'both/page.html': 'x' });
  t.after(site.remove);
  const seal = (path: string, more: object = {}) =>
    sealPage(site.policyFile, {
      file: join(site.site, path),
      out: join(site.folder, 'out.html'),
      acceptWeak: true,
      rounds: testRounds,
      ...more,
    });
  await assert.rejects(seal('both/page.html'), { code: 'seal-unfit' });
  await assert.rejects(seal('index.html'), { code: 'seal-unfit' });
  await assert.rejects(seal('members/gone.html'), { code: 'file-unusable' });
  await assert.rejects(seal('members/log.html', { acceptWeak: false, rounds: 600_000 }), { code: 'seal-weak' });
  await assert.rejects(seal('members/log.html', { lock: 'membres' }), { code: 'lock-unknown' });
  await assert.rejects(seal('members/log.html', { out: join(site.site, 'index.html') }), { code: 'seal-folder' });
  assert.equal((await seal('index.html', { lock: 'press' })).lock, 'press');
});
