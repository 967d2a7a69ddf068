/**
 * Seals one folder of a real documentation site, as Debian has it (`apt-get install python-django-doc`), serves
 * it from a host that knows files alone, and goes through it in Chromium: `npx tsx scripts/real-site.ts`.
 */
import assert from 'node:assert/strict';
import { cp, readFile } from 'node:fs/promises';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { checkSealed } from '../src/owner/sealed-check.js';
import { freshPage, launch } from '../test/support/browser.js';
import { plainHost, siteToSeal } from '../test/support/sealed.js';

const from = '/usr/share/doc/python-django-doc/html';
if (!existsSync(from)) {
  console.error(`There is no ${from}: apt-get install python-django-doc`);
  process.exit(2);
}
const password = 'plover kettle amber dome heather';
const site = await siteToSeal(
  {
    howto: {
      covers: ['/howto/', '/_images/postmortem.png', '/_images/template-lines.png'],
      passwords: { team: password },
      remember: '30 days',
    },
  },
  {},
);
await cp(from, site.site, { recursive: true, dereference: true });
const start = Date.now();
const { files, pages, sealed } = await site.seal({ rounds: 600_000 });
console.log(`${files} files, ${pages} pages; ${sealed} sealed in ${((Date.now() - start) / 1000).toFixed(1)} s`);
const again = Date.now();
assert.equal((await site.seal({ rounds: 600_000 })).anew, 0);
console.log(`once more, with nothing changed: ${((Date.now() - again) / 1000).toFixed(1)} s`);
const { findings, addresses } = await checkSealed(site.policyFile, { out: site.out });
console.log(`looked through ${addresses} addresses; what the owner is told of:`);
for (const { title, cases } of findings) console.log(`  ${title}: ${cases.map(({ where }) => where).join(', ')}`);

const host = await plainHost(site.out, { base: '/docs/' });
const browser = await launch();
const page = await freshPage(browser, host.url);
const wrong: string[] = [];
page.on('pageerror', (error) => wrong.push(error.message));
const results = async (words: string) => {
  await page.goto(`search.html?q=${words}`);
  await page.getByText(/Search finished/).waitFor({ timeout: 60_000 });
  return page.locator('#search-results li a').evaluateAll((all) => all.map((one) => (one as HTMLAnchorElement).href));
};
const open = (await results('queryset')).filter((url) => !url.includes('/howto/'));
assert.ok(open.length > 20);
await page.goto(open[0] ?? '');
assert.equal(await page.locator('#password').count(), 0);
console.log(`as a stranger: the search box finds ${open.length} open pages for “queryset”, and they open`);
await page.goto('howto/custom-template-tags.html#writing-custom-template-filters');
await page.locator('#password').fill('not it');
await page.keyboard.press('Enter');
await page.getByRole('alert').waitFor();
await page.locator('#password').fill(password);
const typed = Date.now();
await page.keyboard.press('Enter');
await page.getByRole('heading', { name: /Writing custom template filters/ }).waitFor();
console.log(`from the password to the page: ${Date.now() - typed} ms`);
assert.match(page.url(), /#writing-custom-template-filters$/);
const style = await page.evaluate(() => [...document.styleSheets].filter(({ cssRules }) => cssRules.length > 0).length);
assert.ok(style > 0);
await page.getByRole('link', { name: 'next', exact: true }).first().click();
await page.waitForLoadState();
assert.equal(await page.locator('#password').count(), 0);
const found = (await results('outputting')).filter((url) => url.includes('/howto/'));
assert.ok(found.length > 0);
await page.goto(found[0] ?? '');
assert.equal(await page.locator('#password').count(), 0);
assert.match(await page.getByRole('main').or(page.locator('.section h1')).first().innerText(), /Outputting|Output/i);
console.log(
  'as a guest: wrong and right, the place within the page, its style, the next page, and found by the search box',
);
assert.deepEqual(wrong, []);
assert.doesNotMatch(await readFile(join(site.out, 'howto/outputting-csv.html'), 'utf8'), /csv\.writer/);
await browser.close();
host.close();
await site.remove();
