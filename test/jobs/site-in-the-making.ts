import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

const feed = '<rss version="2.0"><channel><title>Kestrelmoor</title></channel></rss>';
const files = { 'index.html': 'x', 'a.html': 'x', 'logo.svg': '<svg/>', 'feed.xml': feed };

/** The whole site: admins, signed-in people, feed readers and one's own address pass; the screen is styled. */
export default walk('the site in the making', files, async ({ dorlin, browser, url }) => {
  await dorlin('init', ['init', 'dist']);
  await dorlin('site KEY=VALUE', [
    'site',
    'identity.header.from=trustedProxies',
    'identity.header.roles=x-roles',
    'identity.header.person=x-user',
    'trustedProxies=127.0.0.1',
    'showAddress=yes',
  ]);
  await dorlin('lock', ['lock', 'making', '/', '--remember', '14 days', '--basic', 'on']);
  const { password, label } = await dorlin('password add', [
    'password',
    'add',
    'making',
    '--label',
    'Feeds',
    '--generate',
  ]);
  await dorlin('bypass add', ['bypass', 'add', 'admins', '--role', 'admin', '--every-lock']);
  await dorlin('bypass add', ['bypass', 'add', 'me', '--address', 'mine', '--site', url(), '--lock', 'making']);
  await dorlin('release', ['release', '/logo.svg']);
  await dorlin('screen edit', [
    'screen',
    'edit',
    'default',
    'look=blueprint',
    'logo={ picture: /logo.svg, alt: The dome, width: 180, height: 60 }',
    'heading=Coming soon',
    'smallPrint=No credit to anybody.',
  ]);
  const stranger = { 'x-forwarded-for': '198.51.100.7' };
  const screen = await browser().visit('/a', stranger);
  assert.match(screen.text, /<img src="\/logo\.svg" alt="The dome" width="180" height="60">[^]*<h1>Coming soon/);
  assert.equal((await browser().visit('/logo.svg', stranger)).status, 200);
  assert.equal((await browser().visit('/a', { ...stranger, 'x-roles': 'admin' })).status, 200);
  assert.equal((await browser().visit('/a')).status, 200, 'from my address');
  const authorization = `Basic ${Buffer.from(`${label}:${password}`).toString('base64')}`;
  assert.equal((await browser().visit('/feed.xml', { ...stranger, authorization, accept: '*/*' })).status, 200);
});
