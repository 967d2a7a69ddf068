import assert from 'node:assert/strict';
import { once } from 'node:events';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { after, afterEach, before, beforeEach, describe, test } from 'node:test';
import type { Browser } from 'playwright-core';
import { launch, skipBrowser } from '../support/browser.js';
import { atConsole, runConsole, type RunningConsole } from '../support/console-browser.js';
import { walkerAt, type Walker } from '../support/console-walker.js';
import { until } from '../support/sites.js';

const policy = `dorlin: 1
site:
  name: Kestrelmoor
  origin: https://kestrelmoor.example
  folder: dist
  sitemaps: [/sitemap.xml]
  trustedProxies: [127.0.0.1/32, ::1/128]
identity: { header: { from: trustedProxies, person: X-User, roles: X-Roles } }
guessing: { perVisitor: 500 per minute, perLock: 500 per minute }
`;
const page = (title: string) => `<!doctype html><html lang=en><title>${title}</title><h1>${title}</h1>`;
const nights = Array.from({ length: 50 }, (_, at) => `/logs/night-${at}`);
const files = {
  ...Object.fromEntries(
    ['index', 'patrons', 'prints', 'proofs', 'admin/index', 'logs/index', 'press/index', 'press/kit'].map((name) => [
      `${name}.html`,
      page(name),
    ]),
  ),
  ...Object.fromEntries(nights.map((path) => [`${path.slice(1)}.html`, page(path)])),
  'hidden.html': '<!doctype html><title>Kept out of lists</title><meta name="robots" content="noindex"><p>x',
  'sitemap.xml':
    '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"><url><loc>https://kestrelmoor.example/shop/cart</loc></url></urlset>',
};

/** What owners come to do, each by pointing alone, and checked as a visitor of the running site. */
describe('walks of owners', { skip: skipBrowser }, () => {
  let browser: Browser;
  let running: RunningConsole;
  let owner: Walker;
  let state: Awaited<ReturnType<Walker['state']>>;
  before(async () => {
    [browser, running] = await Promise.all([launch(), runConsole(policy, files, true)]);
    owner = await walkerAt(browser, running, { invitation: running.invitation });
    state = await owner.state();
  });
  beforeEach(async () => {
    owner = await walkerAt(browser, running, { state });
  });
  afterEach(async () => {
    assert.deepEqual(owner.problems, []);
    await owner.context().close();
  });
  after(async () => {
    await browser.close();
    await running.close();
  });

  test('patrons: one page, editors pass; looked at as both; released, and it is open again', async (t) => {
    await owner.choose('/patrons');
    const password = await owner.lock('patrons');
    assert.equal(await owner.seen('/patrons'), 200, 'nothing is live before it is made so');
    await owner.letIn('editors', 'by role', ['Roles', 'editor']);
    await owner.goLive();
    await owner.becomes('/patrons', 403);
    assert.equal(await owner.seen('/patrons', { 'x-roles': 'editor' }), 200);
    assert.deepEqual(await running.enter('patrons', 'not it', ['/patrons']), [403]);
    assert.deepEqual(await running.enter('patrons', password, ['/patrons']), [200]);
    await owner.getByRole('button', { name: 'A stranger now' }).click();
    await owner.getByText('somebody with a role').click();
    await owner.getByRole('combobox', { name: 'Role' }).fill('editor');
    await owner.press('Look through these eyes');
    await owner.choose('/patrons');
    await owner.getByText('is let in, though it is under patrons').waitFor();
    await owner.getByRole('button', { name: /^Somebody with the role editor/ }).click();
    await owner.getByText('a stranger', { exact: true }).click();
    await owner.press('Look through these eyes');
    await owner.release();
    await owner.goLive();
    await owner.becomes('/patrons', 200);
    await owner.walked(t, { presses: 23, typed: 6 });
  });

  test('fifty pages, one password: a page reached directly says whose lock it is, and entering once is enough', async (t) => {
    await owner.choose('/logs/');
    const password = await owner.lock('logs');
    await owner.goLive();
    await owner.becomes('/logs/', 403);
    for (const path of nights) {
      const { status, text } = await running.visit(path);
      assert.equal(status, 403);
      assert.match(text, /name="lock" value="logs"/);
    }
    assert.deepEqual(new Set(await running.enter('logs', password, ['/logs/', ...nights])), new Set([200]));
    await owner.choose('/logs/');
    await owner.release();
    await owner.goLive();
    await owner.becomes(nights[0] ?? '', 200);
    await owner.walked(t, { presses: 12, typed: 3 });
  });

  test('scattered pages: added and taken out together, two passwords, outsiders told “not found”', async (t) => {
    await owner.choose('/prints', '/proofs', '/press/kit');
    await owner.getByRole('heading', { name: '3 places' }).waitFor();
    const first = await owner.lock('scattered');
    await owner.door('scattered').getByRole('button', { name: 'Add one' }).click();
    const field = owner.getByLabel('The password', { exact: true });
    await until(async () => (await field.inputValue()) !== '');
    const second = await field.inputValue();
    await owner.getByLabel('Whom it is for').fill('The printers');
    await owner.press('Add it');
    await owner.goLive();
    await owner.becomes('/press/kit', 403);
    for (const password of [first, second]) {
      assert.deepEqual(
        await running.enter('scattered', password, ['/prints', '/proofs', '/press/kit']),
        [200, 200, 200],
      );
    }
    await owner.door('scattered').getByRole('button', { name: 'the screen' }).click();
    await owner.getByText('“not found”, as if').click();
    await owner.press('Put it in the draft');
    await owner.goLive();
    await owner.becomes('/prints', 404);
    await owner.choose('/prints', '/press/kit');
    await owner.release();
    await owner.goLive();
    await owner.becomes('/prints', 200);
    assert.equal(await owner.seen('/proofs'), 404);
    await owner.choose('/proofs');
    await owner.release();
    await owner.goLive();
    await owner.becomes('/proofs', 200);
    await owner.walked(t, { presses: 28, typed: 4 });
  });

  test('page, folder and site in turn, and who may come at all: by password, or signed in', async (t) => {
    await owner.choose('/press/kit');
    await owner.lock('kit');
    await owner.choose('/press/');
    await owner.lock('press');
    await owner.getByRole('button', { name: 'The whole site' }).click();
    const password = await owner.lock('all');
    await owner.letIn('known', 'whoever is signed in');
    assert.equal(await owner.seen('/patrons'), 200, 'nothing is live before it is made so');
    await owner.goLive();
    await owner.becomes('/patrons', 403);
    assert.equal(await owner.seen('/patrons', { 'x-user': 'imke@kestrelmoor.example' }), 200);
    // The nearest lock decides: that of the site opens neither folder nor page.
    assert.deepEqual(await running.enter('all', password, ['/patrons', '/press/', '/press/kit']), [200, 403, 403]);
    await owner.getByRole('link', { name: 'Places' }).click();
    await owner.getByRole('button', { name: 'The whole site' }).click();
    await owner.release();
    await owner.choose('/press/', '/press/kit');
    await owner.release();
    await owner.goLive();
    await owner.becomes('/press/kit', 200);
    assert.equal(await owner.seen('/patrons'), 200);
    await owner.walked(t, { presses: 29, typed: 7 });
  });

  test('the second door: a name and password each, asked by the browser; one is taken out, and all is undone', async (t) => {
    await owner.choose('/admin/');
    await owner.press('Lock');
    await owner.getByLabel('Its name').fill('desk');
    await owner.getByText('without: only by roles').click();
    await owner.press('Lock it');
    await owner.getByRole('link', { name: 'Ways in' }).click();
    await owner.getByText('Users of the browser’s prompt').last().click();
    await owner.getByRole('button', { name: 'Take in an htpasswd file' }).last().click();
    await owner.getByLabel('Its lines').fill(`ann:${bcryptOfComet}\nben:${andAgain}`);
    await owner.getByText('Always by the browser’s own prompt').click();
    await owner.press('Take them in');
    await owner.goLive();
    const as = (name: string) => ({ authorization: `Basic ${Buffer.from(`${name}:comet`).toString('base64')}` });
    await owner.becomes('/admin/', 401);
    assert.equal(await owner.seen('/admin/', as('ann')), 200);
    assert.equal(await owner.seen('/admin/', as('ben')), 200);
    assert.equal(await owner.seen('/admin/', as('cy')), 401);
    await owner.getByRole('region', { name: 'desk' }).getByRole('button', { name: 'Retire ben' }).click();
    await owner.press('Retire it');
    await owner.goLive();
    await owner.becomes('/admin/', 401, as('ben'));
    assert.equal(await owner.seen('/admin/', as('ann')), 200);
    await owner.choose('/admin/');
    await owner.release();
    await owner.goLive();
    await owner.becomes('/admin/', 200);
    await owner.walked(t, { presses: 22, typed: 4 });
  });

  test('a search engine gets what strangers get; what an application answers is known by the sitemap', async () => {
    await owner.getByLabel('Find a page').fill('cart');
    await owner.row('/shop/cart').waitFor();
    await owner.getByRole('button', { name: 'A stranger now' }).click();
    await owner.getByText('a search engine', { exact: true }).click();
    await owner.press('Look through these eyes');
    await owner.getByText('A search engine now').waitFor();
    await owner.getByText('1 of these pages asks not to be listed').waitFor();
    await owner.getByRole('button', { name: 'A search engine now' }).click();
    await owner.getByText('a stranger', { exact: true }).click();
    await owner.press('Look through these eyes');
  });

  test('letters of a plan are drawn for the printer in one go, a page each', async () => {
    await owner.choose('/patrons');
    await owner.lock('monthly');
    await owner.evaluate(() => {
      window.print = () => {
        document.documentElement.classList.add('was-printed');
      };
    });
    await owner.getByRole('link', { name: 'Ways in' }).click();
    await owner.getByRole('region', { name: 'monthly' }).getByRole('button', { name: 'Plan ahead' }).click();
    await owner.getByLabel('How many').fill('3');
    await owner.press('Make them');
    await owner.press('Print a letter for each');
    await owner.locator('html.was-printed').waitFor({ state: 'attached' });
    const pdf = (await owner.pdf()).toString('latin1');
    assert.equal(pdf.match(/\/Type\s*\/Page\b/g)?.length, 3);
    await owner.evaluate(() => window.dispatchEvent(new Event('afterprint')));
    await owner.locator('.letters').waitFor({ state: 'detached' });
    await owner.press('Done');
  });
});

const andAgain = '$2y$10$/CyLh6zrQh4JCb0gYLP60OzoLCiBs05g3w2uoIEHgi0MTOpAZGSke';
const bcryptOfComet = '$2y$10$r4kptkTetNnlQWQR5kgVL.OFbLO..5sQ7gSSKgVxynVp2gnrHXas2';

test(
  'a site that is no folder is walked over, which can be stopped, or read by its sitemap',
  { skip: skipBrowser },
  async () => {
    let asked = 0;
    let address = '';
    const site = createServer((request, response) => {
      asked++;
      const number = Number(/\d+/.exec(request.url ?? '')?.[0] ?? 0);
      if (request.url === '/sitemap.xml') {
        const all = [`${address}/from-the-map`, 'https://elsewhere.example/x'].map(
          (loc) => `<url><loc>${loc}</loc></url>`,
        );
        response.setHeader('content-type', 'application/xml');
        response.end(`<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">${all.join('')}</urlset>`);
        return;
      }
      response.setHeader('content-type', 'text/html');
      // As slow as a site is that one would rather stop.
      setTimeout(() => response.end(`<a href="/page-${number + 1}">on</a><a href="/other-${number + 1}">on</a>`), 100);
    }).listen(0, '127.0.0.1');
    await once(site, 'listening');
    address = `http://localhost:${(site.address() as AddressInfo).port}`;
    const [browser, running] = await Promise.all([
      launch(),
      runConsole('dorlin: 1\nsite: { name: Afar }\nlocks:\n  one: { covers: [/one] }\n', {}),
    ]);
    const owner = await atConsole(browser, running, { invitation: running.invitation });
    await owner.getByLabel('Where the site runs').fill(address);
    await owner.getByRole('button', { name: 'Walk over the site' }).click();
    await until(() => Promise.resolve(asked > 30));
    await owner.getByText(/^\d+ addresses found so far$/).waitFor();
    await owner.getByRole('button', { name: 'Stop' }).click();
    await owner.getByText(/reach by links.*there is more/).waitFor();
    await owner.getByLabel('Find a page').fill('page-3');
    await owner.row('/page-3').waitFor();
    await owner.getByLabel('Find a page').fill('');
    const before = asked;
    await owner.getByLabel('How', { exact: true }).selectOption('sitemap');
    await owner.getByRole('button', { name: 'Read the sitemap' }).click();
    await owner.row('/from-the-map').waitFor();
    assert.equal(await owner.row('/x').count(), 0);
    assert.ok(asked - before < 10, 'a walk that was stopped asks no more');
    assert.deepEqual(owner.problems, []);
    await browser.close();
    await running.close();
    site.closeAllConnections();
    site.close();
  },
);
