import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { createServer, type Server } from 'node:http';
import { createRequire } from 'node:module';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { promisify } from 'node:util';
import { gzipSync } from 'node:zlib';
import type { Browser, Page } from 'playwright-core';
import { builtInLanguages, screenLanguages } from '../../src/core/screen/languages.js';
import { lookNames } from '../../src/core/screen/looks/names.js';
import { renderScreen } from '../../src/core/screen/render.js';
import { screenStates, type ScreenView } from '../../src/core/screen/view.js';
import { contentSecurityPolicy, ownAssets, scriptName } from '../../src/guard/answers/assets.js';
import { launch, skipBrowser } from '../support/browser.js';
import { repository } from '../support/command-line.js';
import { screenOf, view } from '../support/screens.js';

const dot =
  'data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==';
const picture = { picture: dot, alt: 'A dome at night', width: 120, height: 60 };

/** Everything that may stand on a screen. */
const full = {
  text: { placeholder: 'Three words', smallPrint: 'Kestrelmoor Observatory, Moor Lane 1' },
  logo: { ...picture, link: '/' },
  above: [
    { countdown: 'end' },
    { markdown: '## Where\n\nBy the *north* gate, see [the map](/map).\n\n1. Walk\n2. Knock' },
    { pictures: [picture, picture] },
  ],
  below: [
    {
      links: [
        { to: '/join', text: 'Become a member' },
        { to: 'mailto:post@kestrelmoor.example', text: 'Write to us' },
      ],
    },
    { ...picture },
    { request: { gives: { password: 'x' }, text: 'No password yet?', consent: 'You may keep my address.' } },
  ],
};

const shown = (design: object, more: Partial<ScreenView> = {}) =>
  renderScreen({
    ...view,
    script: `/${scriptName}`,
    screen: screenOf(design),
    request: { action: '/_dorlin/request' },
    ...more,
  });

test('a screen with all its parts and no logo is at most 8 kB, gzipped, script and all', () => {
  const script = gzipSync(ownAssets.get(scriptName)?.body ?? '').length;
  for (const look of lookNames) {
    const bare = gzipSync(shown({ look })).length + script;
    assert.ok(bare < 5000, `${look}: ${bare}`);
    const all = gzipSync(shown({ look, ...full, logo: undefined })).length + script;
    assert.ok(all <= 8000, `${look} with every block: ${all}`);
  }
});

test(
  'every look, state, layout and language is valid HTML by the W3C checker',
  { skip: process.env['DORLIN_MISSING']?.includes('java') ? 'java is missing' : false },
  async () => {
    const folder = await mkdtemp(join(tmpdir(), 'dorlin-html-'));
    try {
      const pages = new Map<string, string>();
      for (const look of lookNames) {
        for (const state of screenStates)
          pages.set(`${look}-${state}`, shown({ look, ...full }, { state, sentTo: 'a@b.example' }));
      }
      for (const tag of builtInLanguages)
        pages.set(`language-${tag}`, shown(full, { language: screenLanguages([tag])[0] }));
      for (const layout of ['side', 'card', 'cover', 'band', 'sheet']) {
        pages.set(
          `layout-${layout}`,
          shown({ layout, picture: { picture: dot, alt: 'A dome' }, background: { picture: dot } }),
        );
      }
      for (const fault of ['address', 'consent', 'many', 'failed'] as const) {
        pages.set(`fault-${fault}`, shown(full, { request: { action: '/x', fault, typed: '"<' } }));
      }
      for (const [name, html] of pages) await writeFile(join(folder, `${name}.html`), html);
      // It prints what it finds on the error stream, and fails where it found anything.
      const jar = join(repository, 'node_modules/vnu-jar/build/dist/vnu.jar');
      const { stdout, stderr } = await promisify(execFile)('java', ['-jar', jar, '--format', 'gnu', folder]).catch(
        (error: unknown) => error as { stdout: string; stderr: string },
      );
      assert.equal(`${stdout}${stderr}`.replaceAll(folder, ''), '');
      assert.ok(pages.size > 60);
    } finally {
      await rm(folder, { recursive: true });
    }
  },
);

describe('screens in a browser', { skip: skipBrowser }, () => {
  let browser: Browser;
  let server: Server;
  let url: string;
  /** What is served next, and with what it may load. */
  const served = { html: '', csp: '' };
  const asked: string[] = [];

  before(async () => {
    browser = await launch();
    server = createServer((request, response) => {
      const path = request.url ?? '/';
      asked.push(path);
      const asset = ownAssets.get(path.slice(1));
      if (asset !== undefined) response.writeHead(200, { 'content-type': asset.type }).end(asset.body);
      else if (path !== '/') response.writeHead(404).end();
      else
        response
          .writeHead(200, { 'content-type': 'text/html', 'content-security-policy': served.csp })
          .end(served.html);
    });
    await new Promise<void>((ready) => server.listen(0, '127.0.0.1', ready));
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  });
  after(async () => {
    await browser.close();
    server.closeAllConnections();
    server.close();
  });

  /** Shows a screen as a guard sends it, with its security policy. */
  async function open(page: Page, design: object, more: Partial<ScreenView> = {}): Promise<void> {
    served.html = shown(design, more);
    served.csp = contentSecurityPolicy(screenOf(design), false);
    await page.goto(url);
  }

  test('no accessibility fault and no sideways scrolling, in any look, state, scheme, width and direction', async () => {
    const page = await browser.newPage();
    // Loaded once: the page stays, and each screen takes the place of the one before.
    await page.evaluate(await readFile(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8'));
    const judge = (html: string) =>
      page.evaluate<string[]>(`(async () => {
        const { documentElement } = new DOMParser().parseFromString(${JSON.stringify(html)}, 'text/html');
        document.replaceChild(document.adoptNode(documentElement), document.documentElement);
        const { violations } = await axe.run(document, { resultTypes: ['violations'] });
        const faults = violations.flatMap(({ id, nodes }) => nodes.map(({ html }) => id + ' ' + html));
        return document.documentElement.scrollWidth > innerWidth ? [...faults, 'scrolls'] : faults;
      })()`);
    const [english] = screenLanguages(['en']);
    const [arabic] = screenLanguages(['ar']);
    for (const colorScheme of ['light', 'dark'] as const) {
      for (const width of [1280, 320]) {
        await page.emulateMedia({ colorScheme });
        await page.setViewportSize({ width, height: 740 });
        for (const look of lookNames) {
          for (const [at, state] of screenStates.entries()) {
            // Every state in both directions, over the four passes of this.
            const language = (at + (colorScheme === 'dark' ? 1 : 0)) % 2 === 0 ? english : arabic;
            const faults = await judge(shown({ look, ...full }, { state, language }));
            assert.deepEqual(faults, [], [look, state, colorScheme, width, language.tag].join(', '));
          }
        }
      }
    }
    await page.close();
  });

  test('layouts that a look was not made for hold as well', async () => {
    const page = await browser.newPage();
    for (const layout of ['side', 'card', 'cover', 'band', 'sheet']) {
      for (const look of lookNames) {
        await open(page, { look, layout, ...full });
        for (const width of [1280, 320]) {
          await page.setViewportSize({ width, height: 740 });
          const wider = await page.evaluate('document.documentElement.scrollWidth > innerWidth');
          assert.equal(wider, false, `${look} as ${layout}, ${width}`);
          const field = await page.locator('#password').boundingBox();
          assert.ok(field && field.x >= 0 && field.width > 120, `${look} as ${layout}, ${width}`);
        }
      }
    }
    await page.close();
  });

  test('the focus is in the field; what is wrong is said there; what was typed can be shown', async () => {
    const page = await browser.newPage();
    await open(page, {}, { state: 'wrong' });
    const field = page.locator('input#password');
    // The browser puts it there after it has drawn the page.
    await page.locator('input#password:focus').waitFor();
    assert.equal(await field.getAttribute('autocomplete'), 'current-password');
    const error = page.getByRole('alert');
    assert.equal(await field.getAttribute('aria-describedby'), await error.getAttribute('id'));
    await page.keyboard.type('plover');
    assert.equal(await field.getAttribute('type'), 'password');
    await page.keyboard.press('Tab');
    await page.keyboard.press('Enter');
    assert.equal(await field.getAttribute('type'), 'text');
    assert.equal(await page.locator('input[autocomplete=username]').inputValue(), 'The members’ pages');
    await page.close();
  });

  test('a field is as wide as it is said to be, and only what is wrong is marked', async () => {
    const page = await browser.newPage({ viewport: { width: 1280, height: 900 } });
    const width = async (look: object) => {
      await open(page, { look: 'gazette', ...look, below: full.below }, { state: 'wrong' });
      return (await page.locator('main>form .field').boundingBox())?.width ?? 0;
    };
    assert.equal(Math.round(await width({ field: { width: 600 } })), 600);
    assert.equal(Math.round(await width({ field: { width: 'full' } })), 432);
    assert.ok((await width({ field: { width: 'auto' } })) < 432);
    const color = (where: string) =>
      page.locator(where).evaluate((element) => getComputedStyle(element).borderBottomColor);
    assert.notEqual(await color('main>form .field'), await color('.request .field'));
    await page.close();
  });

  test('nothing is asked of anywhere else, nothing breaks the security policy', async () => {
    const page = await browser.newPage();
    const faults: string[] = [];
    page.on('console', (message) => faults.push(message.text()));
    page.on('request', (request) => {
      if (!request.url().startsWith(url) && !request.url().startsWith('data:')) faults.push(request.url());
    });
    for (const look of lookNames) {
      asked.length = 0;
      await open(page, { look, ...full });
      assert.deepEqual([...new Set(asked)], ['/', `/${scriptName}`]);
    }
    assert.deepEqual(faults, []);
    // It does hold: what the owner's CSS asks of elsewhere is not fetched.
    served.html = served.html.replace('<body', '<img src="https://elsewhere.example/x.png"><body');
    await page.goto(url);
    assert.match(faults.join('\n'), /Content Security Policy/);
    await page.close();
  });

  test('a countdown is a date without script, and with it says what is left', async () => {
    const opensAt = Math.ceil(Date.now() / 1000) + 2 * 86_400 + 3 * 3600 + 600;
    for (const javaScriptEnabled of [false, true]) {
      const page = await (await browser.newContext({ javaScriptEnabled })).newPage();
      await open(page, { above: [{ countdown: 'end' }] }, { state: 'closed', opensAt });
      const text = await page.locator('.countdown').innerText();
      assert.match(text, /^It opens on \w+ \d+, \d{4} at /);
      assert.equal(/\(2 days 3 hours\)$/.test(text), javaScriptEnabled);
      await page.context().close();
    }
  });

  test('on paper it is dark on white, without form and picture', async () => {
    const page = await browser.newPage({ colorScheme: 'dark' });
    await page.emulateMedia({ media: 'print', colorScheme: 'dark' });
    for (const look of lookNames) {
      await open(page, { look });
      assert.equal(await page.locator('form').isVisible(), false);
      assert.equal(await page.locator('h1').evaluate((element) => getComputedStyle(element).color), 'rgb(0, 0, 0)');
    }
    await page.close();
  });
});
