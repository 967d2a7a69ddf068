import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { after, before, describe, test } from 'node:test';
import type { Browser } from 'playwright-core';
import { dorlin, endAll, repository, running } from '../support/command-line.js';
import { axeOf, freshPage, launch, skipBrowser } from '../support/browser.js';
import { until } from '../support/sites.js';

const passwords = new Map(
  (
    JSON.parse(readFileSync(`${repository}/examples/observatory/demo-passwords.json`, 'utf8')) as {
      id: string;
      password: string;
    }[]
  ).map(({ id, password }) => [id, password]),
);
const password = (id: string) => passwords.get(id) ?? '';

describe('the demo, as visitors meet it', { skip: skipBrowser }, () => {
  let browser: Browser;
  let demo: Awaited<ReturnType<typeof running>>;
  let policy: string;
  before(async () => {
    [browser, demo] = await Promise.all([launch(), running(repository, ['demo'])]);
    policy = / --policy (\S+)/.exec(demo.printed())?.[1] ?? '';
  });
  after(async () => {
    await browser.close();
    assert.equal(await demo.end(), 0, 'Ctrl-C ends the demo cleanly');
    endAll();
  });
  const fresh = (options = {}) => freshPage(browser, demo.url, options);

  test('the start page is open, and the passwords printed are those in the page about locks', async () => {
    const page = await fresh();
    await page.goto('/');
    assert.match(await page.heading(), /Come up the moor/);
    await page.goto('/how-this-demo-is-locked');
    const text = await page.locator('main').innerText();
    for (const one of passwords.values()) {
      assert.ok(text.includes(one), one);
      assert.ok(demo.printed().includes(one), one);
    }
  });

  test('a folder: a page deep in it first, wrong, then right, onto the very page asked for', async () => {
    const page = await fresh();
    await page.goto('/members/rota?from=mail');
    assert.equal(await page.heading(), 'Members’ evening log');
    await page.unlock('plover-kettle-amber-doom');
    const alert = page.getByRole('alert');
    assert.match(await alert.innerText(), /That is not the password/);
    await page.locator('#password:focus').waitFor();
    await page.unlock(password('k3v9'));
    assert.equal(await page.heading(), 'Duty rota');
    assert.equal(page.url(), `${demo.url}/members/rota?from=mail`);
    await page.goto('/members/gallery');
    assert.equal(
      await page
        .locator('figure img')
        .first()
        .evaluate((picture: HTMLImageElement) => picture.decode().then(() => picture.naturalWidth)),
      720,
    );
  });

  test('the whole site: one password, once, for every page it covers', async () => {
    const page = await fresh();
    const map = await page.request.get('/sitemap.xml');
    assert.equal(map.status(), 403, 'the sitemap is as closed as the pages');
    await page.goto('/public-nights');
    await page.unlock(password('op27'));
    const xml = await (await page.request.get('/sitemap.xml')).text();
    const paths = [...xml.matchAll(/<loc>https:\/\/kestrelmoor\.example(.*?)<\/loc>/g)].map(([, path]) => path ?? '');
    const outside = /^\/(members\/(?!join)|press\/embargoed\/|trustees\/|visits\/teacher-pack|quiz\/answers)/;
    const covered = paths.filter((path) => !outside.test(path));
    assert.ok(covered.length >= 20, `${covered.length} pages`);
    for (const path of paths) {
      const { status } = await page.request.get(path).then((answer) => ({ status: answer.status() }));
      // The press takes HTTP Basic, and this asks as a tool does.
      const otherwise = path.startsWith('/trustees/') ? 404 : path.startsWith('/press/') ? 401 : 403;
      assert.equal(status, covered.includes(path) ? 200 : otherwise, path);
    }
    // And the site's own search works with what may be found.
    await page.goto('/');
    await page.getByRole('searchbox').fill('owl');
    await page.locator('.found').getByText('An owl in the dome').waitFor();
    assert.equal(await page.locator('.found').getByText('Quiz answers').count(), 0);
  });

  test('one password opens fifty pages, without being asked again', async () => {
    const page = await fresh();
    await page.goto('/members/log');
    await page.unlock(password('h8tz'));
    const names = [
      '',
      'rota',
      'log',
      'gallery',
      'handbook',
      'handbook.pdf',
      'night-log.csv',
      'night-log.json',
      'search.json',
      'pictures/first-quarter.png',
    ];
    const spellings = [
      (path: string) => path,
      (path: string) => path.toUpperCase().replace('/MEMBERS', '/Members'),
      (path: string) => `/${path}`.replace('//', '/'),
      (path: string) => `${path}?x=1`,
      (path: string) => path.replace('m', '%6d'),
    ];
    let asked = 0;
    for (const name of names) {
      for (const spelling of spellings) {
        const answer = await page.request.get(spelling(`/members/${name}`));
        if (answer.status() === 403) asked++;
      }
    }
    assert.equal(names.length * spellings.length, 50);
    assert.equal(asked, 0);
  });

  test('a second lock opens beside the first, and a private window stays outside', async () => {
    const page = await fresh();
    await page.goto('/members/log');
    await page.unlock(password('k3v9'));
    await page.goto('/quiz/answers');
    assert.equal(await page.heading(), 'For teachers');
    await page.unlock(password('s7qa'));
    assert.equal(await page.heading(), 'Quiz answers');
    await page.goto('/members/log');
    assert.equal(await page.heading(), 'Observing log');
    const pdf = await page.request.get('/downloads/star-wheel.pdf');
    assert.equal(pdf.headers()['content-type'], 'application/pdf');
    const other = await fresh();
    for (const path of ['/members/log', '/quiz/answers', '/downloads/star-wheel.pdf', '/members/handbook.pdf']) {
      assert.equal((await other.request.get(path)).status(), 403, path);
    }
  });

  test('the trustees’ papers are not there, but for trustees; the office needs no password', async () => {
    const page = await fresh();
    const hidden = await page.goto('/trustees/minutes-october');
    assert.equal(hidden?.status(), 404);
    assert.equal(await page.heading(), 'Nothing at this address');
    assert.equal(await page.content(), await page.goto('/pictures/nothing').then(() => page.content()));
    const told = await fresh({ extraHTTPHeaders: { 'x-user': 'halla', 'x-roles': 'trustee' } });
    await told.goto('/trustees/minutes-october');
    assert.match(await told.heading(), /Minutes of 12 October/);
    const office = await fresh({ extraHTTPHeaders: { 'x-forwarded-for': '203.0.113.7' } });
    await office.goto('/public-nights');
    assert.equal(await office.heading(), 'Public nights');
    await office.goto('/members/log');
    assert.equal(await office.heading(), 'Members’ evening log');
  });

  test('people who sign in are let in by role or by name, and are strangers once signed out', async () => {
    // person → where, and by which bypass
    const people: [string, string, string | undefined][] = [
      ['Halla Brandvik', '/trustees/minutes-october', 'trustee'],
      ['Halla Brandvik', '/public-nights', undefined],
      ['Tam Orrick', '/public-nights', 'staff'],
      ['Tam Orrick', '/trustees/', undefined],
      ['Imke Sand', '/public-nights', 'crew'],
      ['Imke Sand', '/members/log', undefined],
      ['Rosa Quillan', '/public-nights', undefined],
    ];
    const page = await fresh();
    const as = async (name: string) => {
      await page.goto('/how-this-demo-is-locked');
      await page.getByRole('link', { name: /Sign in as one of/ }).click();
      await page.getByRole('button', { name }).click();
      await page.waitForURL(/:\d+\/$/);
    };
    for (const [name, address, bypass] of people) {
      await as(name);
      const answer = await page.goto(address);
      assert.equal(answer?.headers()['dorlin-let-in'], bypass && `bypass ${bypass}`, name);
      assert.equal(answer?.status() === 200, bypass !== undefined, `${name} at ${address}`);
    }
    await as('Halla Brandvik');
    assert.equal((await page.goto('/trustees/'))?.status(), 200);
    await as('Nobody');
    assert.equal((await page.goto('/trustees/'))?.status(), 404);
  });

  test('journalists come in by links, of which one lets in three browsers', async () => {
    const [herald = '', freelancers = ''] = demo.printed().match(/http:\S+\/_dorlin\/enter\?link=\S+/g) ?? [];
    const address = (link: string) => new URL(link).pathname + new URL(link).search;
    const page = await fresh();
    await page.goto(address(herald));
    assert.equal(page.url(), `${demo.url}/press/embargoed/comet-recovery`);
    assert.match(await page.heading(), /comet/);
    await page.goto('/press/embargoed/silent-star');
    assert.match(await page.heading(), /star/);
    assert.equal((await page.request.get('/members/log')).status(), 403);

    for (let guest = 1; guest <= 4; guest++) {
      const one = await fresh({ javaScriptEnabled: false });
      await one.goto(address(freelancers));
      assert.equal(await one.heading(), 'One more step');
      await one.reload();
      await one.getByRole('button', { name: 'Open the page' }).click();
      const expected = guest <= 3 ? 'Under embargo' : 'This link opens nothing any more';
      assert.equal(await one.heading(), expected, `guest ${guest}`);
    }
    const revoked = await dorlin(repository, ['link', 'press', '--revoke', 'The Herald', '--policy', policy]);
    assert.equal(revoked.exitCode, 0);
    await until(async () => (await page.request.get('/press/embargoed/')).status() === 401);
    await page.goto(address(herald));
    assert.equal(await page.heading(), 'This link opens nothing any more');
  });

  test('a feed reader sends its name and password along; a browser never gets a prompt', async () => {
    const feed = '/press/embargoed/feed.xml';
    const reader = (password: string) =>
      fetch(demo.url + feed, {
        headers: { authorization: `Basic ${btoa(`feed-reader:${password}`)}` },
      });
    const asked = await fetch(demo.url + feed);
    assert.equal(asked.status, 401);
    assert.equal(asked.headers.get('www-authenticate'), 'Basic realm="Announcements under embargo", charset="UTF-8"');
    assert.equal((await reader('harrier')).status, 401);
    assert.match(await (await reader(password('f3ed'))).text(), /A lost comet/);
    const page = await fresh();
    assert.equal((await page.goto(feed))?.status(), 403);
    assert.equal(await page.heading(), 'Under embargo');
  });

  test('its dates are ahead of today, and its owner can ask about the days after them', async () => {
    const ask = async (...words: string[]) => {
      const { stdout } = await dorlin(repository, [...words, '--policy', policy, '--json']);
      return JSON.parse(stdout) as {
        decision: string;
        locks: { passwords: { counts: boolean }[] }[];
      };
    };
    const later = new Date(Date.now() + 130 * 86_400_000).toISOString().slice(0, 10);
    assert.equal((await ask('explain', '/public-nights')).decision, 'shut');
    assert.equal((await ask('explain', '/public-nights', '--at', later)).decision, 'open');
    const { locks } = await ask('password', 'list', 'members');
    assert.deepEqual(
      locks[0]?.passwords.map(({ counts }) => counts),
      [true, true],
    );
  });

  test('one section of a page, opened in place with scripts and with a form without', async () => {
    const page = await fresh();
    await page.goto('/events');
    await page.unlock(password('op27'));
    const section = page.locator('#night-walk');
    assert.match(await section.innerText(), /Where do we meet\?/);
    assert.doesNotMatch(await page.content(), /ninth boundary stone/);
    assert.deepEqual(await axeOf(page), []);
    await section.locator('input').fill('nine stones');
    await page.keyboard.press('Enter');
    await section.getByText('That is not the password').waitFor();
    await page.evaluate(() => Object.assign(window, { notReloaded: true }));
    await section.locator('input').fill(password('nw6k'));
    await section.getByRole('button', { name: 'Show me' }).click();
    await section.getByText('ninth boundary stone').waitFor();
    assert.equal(await page.evaluate('window.notReloaded'), true);
    const width = await section
      .locator('img')
      .evaluate((picture: HTMLImageElement) => picture.decode().then(() => picture.naturalWidth));
    assert.ok(width > 0, 'its picture shows');
    const focused = await page.evaluate(() => document.activeElement?.id);
    assert.equal(focused, 'night-walk');

    const plain = await fresh({ javaScriptEnabled: false });
    await plain.goto('/events');
    await plain.unlock(password('op27'));
    await plain.locator('#night-walk input').fill(password('nw6k'));
    await plain.keyboard.press('Enter');
    await plain.waitForURL(`${demo.url}/events#night-walk`);
    assert.match(await plain.locator('#night-walk').innerText(), /ninth boundary stone/);
  });

  test('menus know which locks are open, on pages outside of any lock too', async () => {
    const page = await fresh();
    const menu = page.getByRole('navigation', { name: 'Main' });
    const shown = async () => ({
      join: await menu.getByRole('link', { name: 'Join us' }).isVisible(),
      members: await menu.getByRole('link', { name: 'Members' }).isVisible(),
    });
    await page.goto('/contact');
    assert.deepEqual(await shown(), { join: true, members: false });
    await page.goto('/members/log');
    await page.unlock(password('k3v9'));
    assert.deepEqual(await shown(), { join: false, members: true });
    await page.goto('/contact');
    assert.deepEqual(await shown(), { join: false, members: true });
    await page.getByRole('button', { name: 'Lock all again' }).click();
    await menu.getByRole('link', { name: 'Join us' }).waitFor();
    assert.deepEqual(await shown(), { join: true, members: false });
    assert.equal((await page.request.get('/members/log')).status(), 403);
  });

  test('a bar says that a bypass lets one in, and shows the site as the public sees it', async () => {
    for (const javaScriptEnabled of [true, false]) {
      const page = await fresh({ javaScriptEnabled, viewport: { width: 360, height: 740 } });
      await page.goto('/sign-in');
      await page.getByRole('button', { name: /Tam Orrick/ }).click();
      await page.goto('/public-nights');
      const bar = page.getByRole('complementary', { name: 'Dorlin' });
      assert.match(await bar.innerText(), /password screen here\. You are in by: staff\./);
      if (javaScriptEnabled) assert.deepEqual(await axeOf(page, { include: 'dorlin-ribbon' }), []);
      await bar.getByRole('button', { name: 'See it as the public does' }).click();
      assert.equal(await page.heading(), 'The new dome is being fitted');
      await page.goto('/contact');
      await bar.getByRole('button', { name: 'Back to your own view' }).click();
      await page.goto('/public-nights');
      assert.equal(await page.heading(), 'Public nights');
      await bar.getByRole('button', { name: 'Put this bar away' }).click();
      await page.goto('/events');
      assert.equal(await bar.count(), 0);
    }
  });

  test('with the keyboard alone', async () => {
    const page = await fresh();
    await page.goto('/press/embargoed/');
    await page.typeAtOnce('inkwell');
    await page.keyboard.press('Tab');
    const focused = () => page.evaluate(() => document.activeElement?.textContent);
    assert.equal(await focused(), 'Show');
    await page.keyboard.press('Enter');
    assert.equal(await page.locator('#password').getAttribute('type'), 'text');
    assert.equal(await page.locator('#password').inputValue(), 'inkwell');
    await page.keyboard.press('End');
    await page.keyboard.type('-harrier-monday');
    await page.keyboard.press('Tab');
    assert.equal(await focused(), 'Hide');
    await page.keyboard.press('Tab');
    assert.equal(await focused(), 'Open the page');
    const outline = await page.evaluate(() => getComputedStyle(document.activeElement ?? document.body).outlineStyle);
    assert.equal(outline, 'solid', 'the focus shows');
    await page.keyboard.press('Enter');
    await page.getByRole('heading', { name: 'Under embargo' }).waitFor();
  });

  test('with scripts off, 360 pixels wide', async () => {
    const page = await fresh({ javaScriptEnabled: false, viewport: { width: 360, height: 740 } });
    await page.goto('/visits/teacher-pack');
    assert.equal(await page.getByRole('button', { name: 'Show' }).count(), 0);
    const isWider = () => page.locator('html').evaluate((html) => html.scrollWidth > html.clientWidth);
    assert.equal(await isWider(), false);
    const { y = 999, height = 0 } = (await page.getByRole('button', { name: 'Open the page' }).boundingBox()) ?? {};
    assert.ok(y + height < 740, 'the button is in sight without scrolling');
    await page.unlock('wrong');
    assert.equal(await page.getByRole('alert').count(), 1);
    assert.equal(await isWider(), false);
    await page.getByLabel('Stay unlocked on this device for 90 days').check();
    await page.unlock(password('s7qa'));
    assert.equal(await page.heading(), 'Teacher pack');
    const [pass] = (await page.context().cookies()).filter(({ name }) => name === 'dorlin');
    assert.ok(pass && pass.httpOnly && pass.expires > Date.now() / 1000 + 89 * 86_400);
  });

  test('no screen has an accessibility fault, in any state, light or dark, wide or narrow', async () => {
    for (const colorScheme of ['light', 'dark'] as const) {
      for (const width of [1280, 360]) {
        const page = await fresh({ colorScheme, viewport: { width, height: 740 } });
        const check = async (state: string) => {
          assert.deepEqual(await axeOf(page), [], `${state}, ${colorScheme}, ${width}`);
        };
        await page.goto('/quiz/answers');
        await check('ask');
        await page.unlock('wrong');
        await check('wrong');
      }
    }
  });

  test('the screen breaks no rule of its own content security policy', async () => {
    const page = await fresh();
    const faults: string[] = [];
    page.on('console', (message) => {
      if (/content security policy/i.test(message.text())) faults.push(message.text());
    });
    await page.goto('/members/log');
    await page.getByRole('button', { name: 'Show' }).click();
    await page.unlock('wrong');
    assert.deepEqual(faults, []);
  });

  // Last, as it changes the demo's policy.
  test('a retired password’s visitors are out with their next click, and no others', async () => {
    const [old, current] = await Promise.all([fresh(), fresh()]);
    for (const [page, id] of [
      [old, 'h8tz'],
      [current, 'k3v9'],
    ] as const) {
      await page.goto('/members/log');
      await page.unlock(password(id));
      assert.equal(await page.heading(), 'Observing log');
    }
    const { exitCode } = await dorlin(repository, ['password', 'retire', 'members', 'h8tz', '--policy', policy]);
    assert.equal(exitCode, 0);
    await until(async () => (await old.request.get('/members/rota')).status() === 403);
    await old.goto('/members/rota');
    assert.equal(await old.heading(), 'Members’ evening log');
    await old.unlock(password('h8tz'));
    assert.match(await old.getByRole('alert').innerText(), /not the password/);
    await current.goto('/members/rota');
    assert.equal(await current.heading(), 'Duty rota');
  });
});
