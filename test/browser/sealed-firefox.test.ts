import assert from 'node:assert/strict';
import { spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { after, before, describe, test } from 'node:test';
import { enter, launchFirefox } from '../support/firefox.js';
import { plainHost, siteToSeal } from '../support/sealed.js';
import { until } from '../support/sites.js';

const isMissing = spawnSync('sh', ['-c', 'command -v firefox-esr'], { stdio: 'ignore' }).status !== 0;
const film = randomBytes(200_000);
const page = (title: string, body = '') =>
  `<!doctype html><html lang=en><title>${title}</title><h1>${title}</h1>${body}`;

describe('a sealed site in Firefox', { skip: isMissing ? 'Firefox is missing' : false }, () => {
  let firefox: Awaited<ReturnType<typeof launchFirefox>>;
  let site: Awaited<ReturnType<typeof siteToSeal>>;
  let host: Awaited<ReturnType<typeof plainHost>>;
  before(async () => {
    site = await siteToSeal(
      {
        members: { covers: ['/members/'], passwords: { aa: 'comet lantern' }, remember: '30 days' },
        visit: { covers: ['/visit/'], passwords: { bb: 'embargo' }, remember: 'visit' },
        walk: { covers: ['/events#walk'], passwords: { cc: 'gate' }, remember: '30 days' },
      },
      {
        'index.html': page('Start'),
        'events.html': page('Events', '<section id="walk"><p>CANARY-GATE</p></section>'),
        'members/log.html': page('Log', '<p>CANARY-LOG</p><script type="module" src="code.js"></script>'),
        'members/code.js': "document.body.dataset.ran = 'yes';",
        'members/film.mp4': film,
        'visit/index.html': page('Visit'),
      },
    );
    await site.seal();
    host = await plainHost(site.out, {
      base: '/sub/path/',
      headers: { 'content-security-policy': "default-src 'self'" },
    });
    firefox = await launchFirefox();
  });
  after(async () => {
    await firefox.close();
    host.close();
    await site.remove();
  });
  type Tab = Awaited<ReturnType<typeof firefox.open>>;
  const at = (path: string) => host.url + path;
  const title = (tab: Tab, text: string) =>
    until(async () => (await tab.evaluate("document.querySelector('h1')?.innerText")) === text);
  const unlock = async (tab: Tab, password: string) => {
    await until(async () => (await tab.evaluate("document.activeElement?.name === 'password'")) === true);
    await tab.type(password + enter);
  };

  test('wrong and right, with modules and ranges; a second tab follows; a reload stays in', async () => {
    const tab = await firefox.open();
    await tab.goto(at('members/log'));
    const second = await firefox.open(tab);
    await second.goto(at('members/log'));
    await tab.evaluate("document.querySelector('#password').focus()");
    await unlock(tab, 'not it');
    await until(async () =>
      String(await tab.evaluate("document.querySelector('#error')?.innerText")).includes('not the password'),
    );
    await unlock(tab, 'comet lantern');
    await title(tab, 'Log');
    await title(second, 'Log');
    await until(async () => (await tab.evaluate('document.body.dataset.ran')) === 'yes');
    const part = await tab.evaluate(
      "fetch('film.mp4',{headers:{range:'bytes=65000-140000'}}).then(async(r)=>r.status+' '+[...new Uint8Array(await r.arrayBuffer())].slice(0,9).join())",
    );
    assert.equal(part, `206 ${[...film.subarray(65_000, 65_009)].join()}`);
    await tab.reload();
    await title(tab, 'Log');
    const stranger = await firefox.open();
    await stranger.goto(at('members/log'));
    assert.equal(await stranger.evaluate("document.querySelector('#password') !== null"), true);
  });

  test('a part of a public page opens in its place', async () => {
    const tab = await firefox.open();
    await tab.goto(at('events'));
    await tab.evaluate("document.querySelector('#walk input[type=password], input[type=password]').focus()");
    await unlock(tab, 'gate');
    await until(async () => String(await tab.evaluate('document.body.innerText')).includes('CANARY-GATE'));
    await tab.goto(at('members/log'));
    assert.equal(await tab.evaluate("document.querySelector('#password') !== null"), true);
  });

  test('what is opened for a visit is open in this one', async () => {
    const tab = await firefox.open();
    await tab.goto(at('visit/'));
    await tab.evaluate("document.querySelector('#password').focus()");
    await unlock(tab, 'embargo');
    await title(tab, 'Visit');
    await tab.reload();
    await title(tab, 'Visit');
  });
});
