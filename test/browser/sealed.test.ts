import assert from 'node:assert/strict';
import { createHash, randomBytes } from 'node:crypto';
import { readFile, rm, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import type { Browser, Page } from 'playwright-core';
import type { SealedSite } from '../../src/core/sealing/site.js';
import { freshPage, launch, skipBrowser } from '../support/browser.js';
import { plainHost, siteToSeal } from '../support/sealed.js';
import { until } from '../support/sites.js';

const film = randomBytes(400_000);
const page = (title: string, body = '') =>
  `<!doctype html><html lang=en><title>${title}</title><link rel="stylesheet" href="style.css"><h1>${title}</h1>${body}`;
const locks = {
  members: {
    covers: ['/members/'],
    passwords: { aa: 'comet lantern', bb: 'second way' },
    remember: '30 days',
    title: 'Members',
    links: [{ id: 'k1', label: 'Guest', until: '2099-01-01' }],
  },
  press: { covers: ['/press/'], passwords: { cc: 'embargo' } },
  inner: { covers: ['/members/inner/'], passwords: { dd: 'deeper' }, requires: ['members'], remember: '1 day' },
  walk: { covers: ['/events#walk'], passwords: { ee: 'gate' }, remember: '30 days' },
  hidden: { covers: ['/hidden/'], passwords: { ff: 'unseen' }, outsiders: 'not-found' },
  closed: { covers: ['/closed/'], passwords: { gg: 'shut' }, outsiders: 'closed' },
  away: { covers: ['/away/'], passwords: { hh: 'gone' }, outsiders: { redirect: '/open' } },
  sent: { covers: ['/sent/'], passwords: { jj: 'right one' }, wrong: { after: 2, redirect: '/open' } },
  landing: {
    covers: ['/landing/'],
    passwords: { ii: 'land' },
    after: '/landing/welcome',
    remember: { choice: '7 days' },
  },
} as const;
const files = {
  'index.html': page('Start', '<a href="members/log">log</a>'),
  'open.html': page('Open', '<p>for all</p><a id="get" download="Star wheel.pdf" href="members/wheel.pdf">wheel</a>'),
  'style.css': 'h1{color:rgb(1,2,3)}',
  'events.html': page(
    'Events',
    '<section id="walk"><h2>The walk</h2><p>Meet at the CANARY-GATE.</p></section><p data-dorlin-if="walk">in</p><p data-dorlin-unless="walk">out</p><p id="after">after</p>',
  ),
  'members/index.html': page('Members', '<a href="log">log</a>'),
  'members/style.css': 'h1{color:rgb(9,8,7)}.tall{height:3000px}',
  'members/log.html': page(
    'Log',
    '<p>CANARY-LOG</p><img id="pic" src="moon.png"><div class="tall"></div><h2 id="deep">Deep</h2><script type="module" src="code.js"></script><embed src="wheel.pdf">',
  ),
  'members/code.js':
    "import { word } from './part.js'; document.body.dataset.word = word; fetch('night.json').then((r) => r.json()).then((d) => (document.body.dataset.night = d.night));",
  'members/part.js': "export const word = 'module';",
  'members/night.json': '{"night":"clear"}',
  'members/moon.png': Buffer.from(
    'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==',
    'base64',
  ),
  'members/wheel.pdf': Buffer.from('%PDF-1.4 CANARY-PDF'),
  'members/film.mp4': film,
  'members/inner/index.html': page('Inner', 'CANARY-INNER'),
  'press/index.html': page('Press', 'CANARY-PRESS'),
  'hidden/plan.txt': 'CANARY-PLAN',
  'hidden/index.html': page('Hidden', 'CANARY-HIDDEN'),
  'closed/index.html': page('Closed', 'CANARY-CLOSED'),
  'away/index.html': page('Away', 'CANARY-AWAY'),
  'sent/index.html': page('Sent'),
  'landing/index.html': page('Landing'),
  'landing/welcome.html': page('Welcome'),
};

/** Asks for parts of the film, as a player does. */
async function seekIn(at: Page): Promise<void> {
  for (const [start, end] of [
    [0, 0],
    [0, 65_518],
    [65_518, 65_520],
    [131_037, 200_000],
    [399_999, 399_999],
    [0, 399_999],
  ] as const) {
    const got = await at.evaluate(
      async ([from, to]) => {
        const answer = await fetch('film.mp4', { headers: { range: `bytes=${from}-${to}` } });
        const digest = await crypto.subtle.digest('SHA-256', await answer.arrayBuffer());
        return { status: answer.status, digest: [...new Uint8Array(digest)] };
      },
      [start, end] as const,
    );
    assert.equal(got.status, 206);
    const digest = createHash('sha256')
      .update(film.subarray(start, end + 1))
      .digest();
    assert.ok(Buffer.from(got.digest).equals(digest), `${start}-${end}`);
  }
}

for (const base of ['/', '/sub/path/']) {
  describe(`a sealed site at ${base}`, { skip: skipBrowser }, () => {
    let browser: Browser;
    let site: Awaited<ReturnType<typeof siteToSeal>>;
    let host: Awaited<ReturnType<typeof plainHost>>;
    before(async () => {
      [browser, site] = await Promise.all([launch(), siteToSeal(locks, files, { languages: ['en', 'fr'] })]);
      await site.seal({ base });
      host = await plainHost(site.out, {
        base,
        headers: { 'content-security-policy': "default-src 'self'; frame-ancestors 'self'" },
      });
    });
    after(async () => {
      assert.deepEqual(refused, []);
      await browser.close();
      host.close();
      await site.remove();
    });
    const refused: string[] = [];
    const visitor = async (more: object = {}) => {
      const at = await freshPage(browser, host.url, more);
      // Nothing that a page or a screen does is against the host’s strict policy, or our own.
      at.context().on('console', (message) => {
        if (/Content Security Policy/i.test(message.text())) refused.push(message.text());
      });
      return at;
    };
    const type = async (at: Page, password: string) => {
      await at.locator('#password').fill(password);
      await at.getByRole('button', { name: /^(Open|Ouvrir)/ }).click();
    };
    const title = (at: Page, text: string) => at.getByRole('heading', { name: text, exact: true }).waitFor();

    test('a wrong password is refused and says so; the right one opens the very page, with all that it needs', async () => {
      const at = await visitor();
      await at.goto('members/log#deep');
      await type(at, 'not it');
      await at.getByRole('alert').getByText('That is not the password').waitFor();
      assert.equal(await at.evaluate(() => document.activeElement?.id), 'password');
      await type(at, '  comet lantern ');
      await title(at, 'Log');
      assert.equal(new URL(at.url()).hash, '#deep');
      await until(async () => (await at.evaluate(() => scrollY)) > 500);
      assert.equal(
        await at.evaluate(() => getComputedStyle(document.querySelector('h1') as Element).color),
        'rgb(9, 8, 7)',
      );
      await until(async () => (await at.evaluate(() => document.body.dataset['night'])) === 'clear');
      assert.equal(await at.evaluate(() => document.body.dataset['word']), 'module');
      assert.equal(await at.evaluate(() => (document.querySelector('#pic') as HTMLImageElement).naturalWidth), 1);
      assert.equal(await at.locator('iframe').getAttribute('src'), 'wheel.pdf');
      // A second page of the lock is not asked for, and another lock stays shut.
      await at.goto('members/');
      await title(at, 'Members');
      await at.goBack();
      await title(at, 'Log');
      await at.reload();
      await title(at, 'Log');
      const answer = await at.goto('members/log');
      assert.match(answer?.headers()['content-security-policy'] ?? '', /frame-ancestors/);
      assert.match(answer?.headers()['cache-control'] ?? '', /no-store/);
      await at.goto('press/');
      await at.locator('#password').waitFor();
      await at.context().close();
    });

    test('either password opens; the film is sought in; downloads are given; a second tab follows', async () => {
      const at = await visitor();
      const second = await at.context().newPage();
      await second.goto(new URL('members/', host.url).href);
      await second.locator('#password').waitFor();
      await at.goto('members/log');
      await type(at, 'second way');
      await title(at, 'Log');
      await title(second, 'Members');
      await seekIn(at);
      const beyond = await at.evaluate(
        async () => (await fetch('film.mp4', { headers: { range: 'bytes=400000-' } })).status,
      );
      assert.equal(beyond, 416);
      const tail = await at.evaluate(
        async () => (await (await fetch('film.mp4', { headers: { range: 'bytes=-5' } })).arrayBuffer()).byteLength,
      );
      assert.equal(tail, 5);
      await at.goto('open');
      const downloading = at.waitForEvent('download');
      await at.locator('#get').click();
      const download = await downloading;
      assert.equal(download.suggestedFilename(), 'Star wheel.pdf');
      assert.match(await readFile(await download.path(), 'latin1'), /CANARY-PDF/);
      await at.context().close();
    });

    test('a film is seen from any place of it where the host sends nothing but whole files', async () => {
      const plain = await plainHost(site.out, { base, hasRanges: false });
      const at = await freshPage(browser, plain.url);
      await at.goto('members/log');
      await type(at, 'second way');
      await title(at, 'Log');
      await seekIn(at);
      await at.context().close();
      plain.close();
    });

    test('at the address of a file that is no page the host’s page for what is missing asks', async () => {
      const at = await visitor();
      await at.goto('members/film.mp5');
      await title(at, '404');
      await at.goto('members/code.js?from=mail');
      await type(at, 'not it');
      await at.getByRole('alert').getByText('That is not the password').waitFor();
      await type(at, 'comet lantern');
      await at.getByText("import { word } from './part.js'").waitFor();
      assert.equal(new URL(at.url()).search, '?from=mail');
      // What is hidden is as if it were not there.
      await at.goto('hidden/plan.txt');
      await title(at, '404');
      await at.context().close();
    });

    test('a lock that requires another asks for both, one after the other', async () => {
      const at = await visitor();
      await at.goto('members/inner/');
      await at.locator('#password').waitFor();
      await type(at, 'deeper');
      await until(async () => (await at.locator('input[name=lock]').inputValue()) === 'members');
      assert.equal(await at.getByText('CANARY-INNER').count(), 0);
      await type(at, 'comet lantern');
      await title(at, 'Inner');
      await at.context().close();
    });

    test('a part of a public page opens in its place, menus follow, and leaving shuts it', async () => {
      const at = await visitor();
      await at.goto('events');
      assert.doesNotMatch(await at.content(), /CANARY-GATE/);
      await at.getByText('out', { exact: true }).waitFor();
      await at.locator('#walk input[type=password]').fill('wrong');
      await at.locator('#walk').getByRole('button', { name: 'Open it' }).click();
      await at.getByText('That is not the password').waitFor();
      await at.locator('#walk input[type=password]').fill('gate');
      await at.locator('#walk').getByRole('button', { name: 'Open it' }).click();
      await at.getByText('Meet at the CANARY-GATE.').waitFor();
      await at.getByText('in', { exact: true }).waitFor();
      await at.getByText('after', { exact: true }).waitFor();
      await at.reload();
      await at.getByText('Meet at the CANARY-GATE.').waitFor();
      const status = await at.evaluate(async () => (await (await fetch('_dorlin/status')).json()) as object);
      assert.deepEqual(status, { open: ['walk'] });
      await at.evaluate(() => fetch('_dorlin/leave', { method: 'POST', headers: { accept: 'application/json' } }));
      await at.reload();
      await at.locator('#walk input[type=password]').waitFor();
      await at.context().close();
    });

    test('outsiders: nothing is there, closed without a form, sent elsewhere; and landing where it is said', async () => {
      const at = await visitor();
      assert.equal((await at.goto('hidden/'))?.status(), 404);
      await at.goto('closed/');
      await at.getByRole('heading', { name: 'This page is closed' }).waitFor();
      assert.equal(await at.locator('input').count(), 0);
      await at.goto('away/');
      await title(at, 'Open');
      await at.goto('landing/');
      await at.getByText('Stay unlocked').waitFor();
      await type(at, 'land');
      await title(at, 'Welcome');
      await at.context().close();
    });

    test('so many wrong passwords lead to another page, where the owner wants that', async () => {
      const at = await visitor();
      await at.goto('sent/');
      await type(at, 'first');
      await at.getByRole('alert').getByText('That is not the password').waitFor();
      await type(at, 'second');
      await title(at, 'Open');
      await at.goto('sent/');
      await type(at, 'right one');
      await title(at, 'Sent');
      await at.context().close();
    });

    test('it is said in the visitor’s language, and without scripts why nothing happens', async () => {
      const at = await visitor({ locale: 'fr-CA' });
      await at.goto('members/log');
      await at.getByText('Mot de passe').first().waitFor();
      await type(at, 'faux');
      await at.getByRole('alert').waitFor();
      assert.equal(await at.locator('html').getAttribute('lang'), 'fr');
      await type(at, 'comet lantern');
      await title(at, 'Log');
      await at.context().close();
      const plain = await visitor({ javaScriptEnabled: false });
      await plain.goto('members/log');
      assert.match(await plain.locator('noscript').innerText(), /scripts are switched off here/);
      await plain.context().close();
    });

    test('without scripts no password can be typed into a screen or a section, and none reaches the host', async () => {
      const at = await visitor({ javaScriptEnabled: false });
      const before = host.asked.length;
      for (const [path, field] of [
        ['members/log', '#password'],
        ['events', '#walk input[type=password]'],
      ] as const) {
        await at.goto(path);
        assert.equal(await at.locator(field).isDisabled(), true, path);
        assert.equal(
          await at.getByRole('button', { name: 'Open it' }).or(at.locator('.open')).first().isDisabled(),
          true,
          path,
        );
        assert.match(await at.locator('noscript').first().innerText(), /scripts are switched off here/, path);
        await at.locator('body').press('Enter');
      }
      assert.deepEqual(
        host.asked
          .slice(before)
          .filter(({ method }) => method !== 'GET')
          .map(({ url }) => url),
        [],
      );
      await at.context().close();
    });

    test('what is remembered for a visit ends with the browser’s; a hard reload comes back by itself', async () => {
      const at = await visitor();
      await at.goto('press/');
      await type(at, 'embargo');
      await title(at, 'Press');
      // As after a reload that passes every worker by.
      const session = await at.context().newCDPSession(at);
      await session.send('Page.reload', { ignoreCache: true });
      await title(at, 'Press');
      await at.context().clearCookies({ name: 'dorlin-visit' });
      await at.goto('press/');
      await at.locator('#password').waitFor();
      await at.context().close();
    });

    test('an entry link opens by what is behind its #, which is sent to nobody; a wrong one opens nothing', async () => {
      const { links } = await site.seal();
      const [link] = links;
      assert.ok(link);
      const end = link.address.slice(link.address.indexOf('#'));
      const at = await visitor();
      await at.goto(`members/log${end.replace(/\.[^]{5}/, '.AAAAA')}`);
      await at.locator('#password').waitFor();
      assert.equal(await at.getByText('CANARY-LOG').count(), 0);
      const later = await visitor();
      await later.goto(`members/log${end}`);
      await title(later, 'Log');
      assert.equal(new URL(later.url()).hash, '');
      assert.ok(host.asked.every(({ url }) => url?.includes('dorlin=') !== true));
      await at.context().close();
      await later.context().close();
    });

    test('a lock with a new key asks once more, and so does a page that is sealed anew meanwhile not', async () => {
      const at = await visitor();
      await at.goto('members/log');
      await type(at, 'comet lantern');
      await title(at, 'Log');
      const text = await readFile(join(site.site, 'members/log.html'), 'utf8');
      await writeFile(join(site.site, 'members/log.html'), text.replace('CANARY-LOG', 'CANARY-LATER'));
      await site.seal();
      await at.goto('members/log');
      await at.getByText('CANARY-LATER').waitFor();
      await writeFile(join(site.site, 'members/log.html'), text);
      await site.seal({ rekey: ['members'] });
      await at.goto('members/log');
      await at.locator('#password').waitFor();
      await type(at, 'comet lantern');
      await at.getByText('CANARY-LOG').waitFor();
      await at.context().close();
    });

    test('a site that is sealed no more is there as ever for who has been in', async () => {
      const at = await visitor();
      await at.goto('members/log');
      await type(at, 'comet lantern');
      await title(at, 'Log');
      const about = join(site.out, '_dorlin/sealed.json');
      const before = await readFile(about);
      await rm(about);
      const later = await at.context().newPage();
      await later.goto(new URL('open', host.url).href);
      await title(later, 'Open');
      await writeFile(about, before);
      await at.context().close();
    });

    test('opened from a disk, it says why nothing can be typed', async () => {
      const at = await visitor();
      await at.goto(`file://${join(site.out, 'members/log.html')}`);
      await at.getByRole('alert').getByText('This file was opened from a disk').waitFor();
      assert.equal(await at.locator('#password').isDisabled(), true);
      await at.context().close();
    });

    test('what is damaged, exchanged or cut off is a clear page, and no words of it', async () => {
      const at = await visitor();
      await at.goto('members/log');
      await type(at, 'comet lantern');
      await title(at, 'Log');
      const blobs = await at.evaluate(async () => {
        const answer = await fetch(new URL('log', location.href));
        return answer.status;
      });
      assert.equal(blobs, 200);
      const about = JSON.parse(await readFile(join(site.folder, '.dorlin/sealed-files.json'), 'utf8')) as {
        files: Record<string, { entry: { blob: string } }>;
      };
      const fileOf = (path: string) => join(site.out, '_dorlin/sealed', about.files[path]?.entry.blob ?? '');
      const log = await readFile(fileOf('/members/log.html'));
      const other = await readFile(fileOf('/members/index.html'));
      const flipped = Buffer.from(log);
      flipped[200] = (flipped[200] ?? 0) ^ 1;
      for (const bytes of [flipped, log.subarray(0, -1), Buffer.alloc(0), Buffer.concat([log, log.subarray(21)])]) {
        await writeFile(fileOf('/members/log.html'), bytes);
        const answer = await at.goto('members/log');
        assert.equal(answer?.status(), 502);
        await at.getByText('What came from the server is damaged').waitFor();
        assert.doesNotMatch(await at.content(), /CANARY/);
      }
      // An index that is damaged: what is public is there as ever, what it holds is said to be damaged.
      const { areas } = JSON.parse(await readFile(join(site.out, '_dorlin/sealed.json'), 'utf8')) as SealedSite;
      const all = Object.values(areas).map(({ index }) => join(site.out, '_dorlin/sealed', index));
      const indexes = await Promise.all(all.map(async (file) => [file, await readFile(file)] as const));
      for (const [file, bytes] of indexes) await writeFile(file, bytes.subarray(0, -1));
      const later = await visitor();
      await later.goto('open');
      await title(later, 'Open');
      await later.goto('members/log');
      await type(later, 'comet lantern');
      await later.getByText('What came from the server is damaged').first().waitFor();
      await later.goto('open');
      await title(later, 'Open');
      await later.context().close();
      for (const [file, bytes] of indexes) await writeFile(file, bytes);
      // Another sealed page in its place would be opened by the same key: its salt says whose it is.
      await writeFile(fileOf('/members/log.html'), other);
      assert.equal((await at.goto('members/log'))?.status(), 502);
      await writeFile(fileOf('/members/log.html'), log);
      await at.goto('members/log');
      await title(at, 'Log');
      await at.context().close();
    });
  });
}
