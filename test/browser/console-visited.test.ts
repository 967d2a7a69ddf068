import assert from 'node:assert/strict';
import { after, before, beforeEach, afterEach, describe, test } from 'node:test';
import type { Browser } from 'playwright-core';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { freshPage, launch, skipBrowser } from '../support/browser.js';
import { plainHost } from '../support/sealed.js';
import { runConsole, type RunningConsole } from '../support/console-browser.js';
import { walkerAt, type Walker } from '../support/console-walker.js';
import { startMailServer } from '../support/mail-server.js';
import { until } from '../support/sites.js';
import { newBrowser } from '../support/walk.js';

const policy = `dorlin: 1
site:
  name: Kestrelmoor
  origin: https://kestrelmoor.example
  folder: dist
  trustedProxies: [127.0.0.1/32, ::1/128]
identity: { header: { from: trustedProxies, person: X-User, roles: X-Roles } }
guessing: { perVisitor: 500 per minute, perLock: 500 per minute }
`;
const page = (title: string, more = '') =>
  `<!doctype html><html lang=en><title>${title}</title><h1>${title}</h1>${more}`;
const files = {
  'index.html': page('Start', '<a href="/events">Events</a>'),
  'events.html': page('Events', '<section id="meet"><h2>The walk</h2><p>By the ninth stone.</p></section>'),
  ...Object.fromEntries(['jones', 'smith', 'rota', 'notes', 'guide'].map((name) => [`${name}.html`, page(name)])),
  'guide.pdf': '%PDF-1.4',
  'feed.xml': '<rss version="2.0"><channel><title>Kestrelmoor</title></channel></rss>',
};
const stranger = { 'x-forwarded-for': '198.51.100.7', accept: 'text/html' };

/** What owners come to do, by pointing alone, with visitors whose browsers keep what they are given. */
describe('walks of owners, and who comes to see', { skip: skipBrowser }, () => {
  let browser: Browser;
  let running: RunningConsole;
  let owner: Walker;
  let state: Awaited<ReturnType<Walker['state']>>;
  before(async () => {
    [browser, running] = await Promise.all([launch(), runConsole(policy, files, true)]);
    owner = await walkerAt(browser, running, { invitation: running.invitation });
    state = await owner.state();
    await owner.context().close();
  });
  beforeEach(async () => {
    owner = await walkerAt(browser, running, { state });
  });
  afterEach(() => owner.context().close());
  after(async () => {
    await browser.close();
    await running.close();
  });
  const visitor = () => newBrowser(() => running.site);
  const ended = async (...places: string[]) => {
    await owner.choose(...places);
    await owner.release();
    await owner.goLive();
    for (const place of places) await owner.becomes(place, 200);
  };

  test('a password each: several pages with their own, and one for staff alone', async (t) => {
    await owner.choose('/jones');
    const jones = await owner.lock('jones');
    await owner.choose('/smith');
    await owner.lock('smith');
    await owner.choose('/rota');
    await owner.lock('staff', 'others');
    await owner.say('staff', 'the screen', '“not found”, as if nothing were there');
    await owner.letIn('wardens', 'by role', ['Roles', 'warden'], 'staff');
    for (const name of ['jones', 'smith', 'staff']) await owner.getByRole('region', { name, exact: true }).waitFor();
    await owner.goLive();
    await owner.becomes('/rota', 404);
    await owner.walked(t, { presses: 23, typed: 8 });
    assert.equal(await owner.seen('/rota', { 'x-roles': 'warden' }), 200);
    const guest = visitor();
    assert.equal((await guest.unlock('jones', jones, '/jones')).status, 200);
    assert.equal((await guest.visit('/smith')).status, 403);
    assert.equal((await guest.unlock('smith', jones, '/smith')).status, 403);
    await ended('/jones', '/smith', '/rota');
  });

  test('a page between everybody, a password, whoever is signed in, and everybody', async (t) => {
    await owner.choose('/notes');
    await owner.lock('notes');
    await owner.goLive();
    await owner.becomes('/notes', 403);
    await owner.press('Switch it off');
    await owner.goLive();
    await owner.becomes('/notes', 200);
    await owner.door('notes').getByRole('button', { name: 'Switch it on' }).click();
    await owner.letIn('known', 'whoever is signed in', undefined, 'notes');
    await owner.getByRole('region', { name: 'notes' }).getByRole('button', { name: 'Retire Everybody' }).click();
    await owner.press('Retire it');
    await owner.goLive();
    await owner.becomes('/notes', 403);
    await owner.walked(t, { presses: 19, typed: 3 });
    const { text } = await running.visit('/notes');
    assert.match(text, /<h1>Please sign in</);
    assert.doesNotMatch(text, /type="password"/);
    assert.equal(await owner.seen('/notes', { 'x-user': 'imke@kestrelmoor.example' }), 200);
    await ended('/notes');
  });

  test('a part of a page: its own words and button, a role passes, a changed password asks again', async (t) => {
    await owner.getByText('as the site').click();
    await owner.frameLocator('iframe[title="The site"]').getByRole('link', { name: 'Events' }).click();
    await owner.getByRole('heading', { name: 'Events' }).waitFor();
    await owner.getByText('a part of it').click();
    await owner.getByLabel('Parts of this page').selectOption({ label: 'The walk' });
    const password = await owner.lock('meet');
    await owner.letIn('guides', 'by role', ['Roles', 'guide'], 'meet');
    await owner.screen('small', 'ticket', 'meet', {
      Words: { 'text.sectionLocked': 'For ticket holders.', 'text.sectionButton': 'Show me' },
    });
    await owner.saveScreen();
    await owner.goLive();
    const guest = visitor();
    await until(async () => (await guest.visit('/events')).text.includes('For ticket holders.'));
    const { text } = await guest.visit('/events');
    assert.match(text, /Show me/);
    assert.doesNotMatch(text, /ninth stone/);
    assert.match((await running.visit('/events', { 'x-roles': 'guide' })).text, /ninth stone/);
    assert.match((await guest.unlock('meet', password, '/events')).text, /ninth stone/);
    await owner.room('Ways in');
    const meet = owner.getByRole('region', { name: 'meet' });
    await meet.getByRole('button', { name: 'Rotate Everybody' }).click();
    const next = await owner.proposed();
    await owner.press('Put it in the old one’s place');
    await owner.getByRole('dialog').waitFor({ state: 'detached' });
    await owner.goLive();
    await until(async () => !(await guest.visit('/events')).text.includes('ninth stone'));
    await owner.walked(t, { presses: 25, typed: 6 });
    assert.match((await guest.unlock('meet', next, '/events')).text, /ninth stone/);
    await owner.room('Places');
    await owner.row('/events#meet').click();
    await owner.release();
    await owner.goLive();
    await until(async () => (await running.visit('/events')).text.includes('ninth stone'));
  });

  test('remembered: a wrong password says so, and the right one once is enough for those who wish it', async (t) => {
    await owner.choose('/notes');
    const password = await owner.lock('noted');
    await owner.say('noted', 'for this visit', 'for a time, if they tick a box');
    await owner.goLive();
    await owner.becomes('/notes', 403);
    await owner.walked(t, { presses: 9, typed: 2 });
    const guest = visitor();
    assert.match((await guest.unlock('noted', 'not it', '/notes')).text, /That is not the password/);
    assert.match((await guest.visit('/notes')).text, /Stay unlocked on this device for 30 days/);
    const body = new URLSearchParams({ lock: 'noted', password, to: '/notes', stay: 'on' });
    const answer = await fetch(new URL('/_dorlin/unlock', running.site), { method: 'POST', body, redirect: 'manual' });
    assert.match(answer.headers.getSetCookie().join(), /Max-Age=2592000/);
    await ended('/notes');
  });

  test('in return for an address: the password by mail, then a link of one’s own, and the file', async (t) => {
    const { letters, url, close } = await startMailServer();
    t.after(close);
    await owner.choose('/guide', '/guide.pdf');
    const password = await owner.lock('guide');
    await owner.set('Mail', { From: 'post@kestrelmoor.example', 'Mail server': url });
    await owner.screen('asking', 'orchard', 'guide');
    await owner.locator('.properties summary').getByText('More parts', { exact: true }).click();
    await owner.locator('#p-below').selectOption('request');
    const gives = owner.getByLabel('Whoever leaves an address is sent');
    await gives.selectOption('password');
    await owner.getByLabel('Which password, by its name').fill('Everybody');
    await owner.saveScreen();
    await owner.goLive();
    await owner.becomes('/guide.pdf', 403);
    await owner.walked(t, { presses: 18, typed: 6 });
    const ask = async (address: string) => {
      const before = letters.length;
      const body = new URLSearchParams({ lock: 'guide', to: '/guide.pdf', address, consent: 'on' });
      await fetch(new URL('/_dorlin/request', running.site), { method: 'POST', body });
      await until(() => Promise.resolve(letters.length > before));
      return letters.at(-1) ?? '';
    };
    assert.ok((await ask('ines@school.example')).includes(password));
    assert.equal((await visitor().unlock('guide', password, '/guide.pdf')).path, '/guide.pdf');
    // From now on each is sent a link of their own, which ends after two days.
    await owner.room('Ways in');
    await owner.getByText('ines@school.example').waitFor();
    const guide = owner.getByRole('region', { name: 'guide' });
    await guide.getByRole('button', { name: 'Make a link' }).click();
    await owner.getByLabel('Whom it is for').fill('Mailing');
    await owner.press('Make the link');
    await owner
      .getByText(/enter\?link=/)
      .first()
      .waitFor();
    await owner.keyboard.press('Escape');
    await owner.room('Screens');
    await owner.getByRole('button', { name: 'Design asking' }).click();
    await owner.locator('.properties summary').getByText('More parts', { exact: true }).click();
    await gives.selectOption('link');
    await owner.getByLabel('Made from which link, by its name').fill('Mailing');
    await owner.getByLabel('How long each counts').fill('2 days');
    await owner.saveScreen();
    await owner.goLive();
    let link = '';
    await until(async () => {
      link = /https:\/\/\S+enter\?link=\S+/.exec(await ask('bo@school.example'))?.[0] ?? '';
      return link !== '';
    });
    const guest = visitor();
    await guest.visit(link.replace('https://kestrelmoor.example', ''));
    assert.equal((await guest.visit('/guide.pdf')).status, 200);
    await ended('/guide', '/guide.pdf');
  });

  test('the site in the making: admins, one’s own address and feed readers pass; its screen is styled', async (t) => {
    await owner.getByRole('button', { name: 'The whole site' }).click();
    const password = await owner.lock('making');
    await owner.say('making', 'not used', 'taken as well, for feed readers and programs');
    await owner.letIn('admins', 'by role', ['Roles', 'admin']);
    await owner.getByRole('button', { name: 'Let somebody in' }).click();
    await owner.getByLabel('Name of this rule').fill('me');
    await owner.getByRole('button', { name: 'Let it in' }).click();
    await owner.getByText('At every lock, also').click();
    await owner.press('Let them in');
    await owner.getByRole('dialog').waitFor({ state: 'detached' });
    await owner.screen('soon', 'blueprint', 'making', { Words: { 'text.heading': 'Coming soon' } });
    await owner.saveScreen();
    await owner.goLive();
    await owner.becomes('/notes', 403, stranger);
    await owner.walked(t, { presses: 24, typed: 6 });
    assert.match((await running.visit('/notes', stranger)).text, /<h1>Coming soon/);
    assert.equal(await owner.seen('/notes', { ...stranger, 'x-roles': 'admin' }), 200);
    assert.equal(await owner.seen('/notes'), 200, 'from my address');
    const authorization = `Basic ${Buffer.from(`Everybody:${password}`).toString('base64')}`;
    assert.equal(await owner.seen('/feed.xml', { ...stranger, authorization, accept: '*/*' }), 200);
    await owner.room('Places');
    await owner.getByRole('button', { name: 'The whole site' }).click();
    await owner.release();
    await owner.goLive();
    await owner.becomes('/notes', 200, stranger);
  });

  test('files with no server: a folder is sealed for a plain host, for several people, and sealed again', async (t) => {
    await owner.choose('/guide', '/guide.pdf');
    const first = await owner.lock('guide');
    await owner.room('Ways in');
    await owner.getByRole('region', { name: 'guide' }).getByRole('button', { name: 'Add a password' }).click();
    await owner.getByLabel('Whom it is for').fill('Second family');
    const second = await owner.proposed();
    await owner.getByRole('dialog').getByRole('button', { name: 'Add it' }).click();
    await owner.goLive();
    await owner.room('Seal');
    await owner.press('Seal the site');
    await owner.getByRole('heading', { name: 'Nothing locked stands in the clear' }).waitFor();
    await owner.getByRole('row', { name: /Second family guide/ }).waitFor();
    assert.deepEqual(await owner.axe(), []);
    await owner.walked(t, { presses: 12, typed: 4 });

    const host = await plainHost(join(running.folder, 'sealed'));
    for (const password of [first, second]) {
      const guest = await freshPage(browser, host.url);
      await guest.goto('guide');
      await guest.locator('#password').fill('not that');
      await guest.keyboard.press('Enter');
      await guest.getByRole('alert').waitFor();
      await guest.locator('#password').fill(password);
      await guest.keyboard.press('Enter');
      await guest.getByRole('heading', { name: 'guide' }).waitFor();
      const pdf = await guest.evaluate(async () => (await fetch('guide.pdf')).text());
      assert.equal(pdf, files['guide.pdf']);
      await guest.context().close();
    }
    host.close();

    await ended('/guide', '/guide.pdf');
    await owner.getByText('The policy has changed since the files were sealed.').waitFor();
    await owner.getByRole('link', { name: 'Seal it again' }).click();
    await owner.press('Seal it again');
    await owner.getByText('of which 0 are sealed').waitFor();
    assert.match(await readFile(join(running.folder, 'sealed/guide.html'), 'utf8'), /<h1>guide/);
  });
});
