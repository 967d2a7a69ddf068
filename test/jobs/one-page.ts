import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** One page is locked; its owner, being signed in, sees it open, and strangers a screen of their own. */
export default walk('one page', ['index.html', 'patrons.html'], async ({ dorlin, browser }) => {
  await dorlin('init', ['init', 'dist', '--name', 'Kestrelmoor']);
  await dorlin('lock', ['lock', 'patrons', '/patrons', '--title', 'For patrons']);
  const { password } = await dorlin('password add', ['password', 'add', 'patrons', '--generate']);
  await dorlin('bypass add', ['bypass', 'add', 'owner', '--role', 'owner', '--lock', 'patrons']);
  await dorlin('site KEY=VALUE', [
    'site',
    'identity.header.from=trustedProxies',
    'identity.header.roles=x-roles',
    '--trusted-proxies',
    '127.0.0.1',
  ]);
  await dorlin('screen new', [
    'screen',
    'new',
    'evening',
    '--look',
    'lantern',
    '--lock',
    'patrons',
    'heading=Good evening',
    'text.button=Come in',
    'colors.light.button=#5a2a6b',
    'colors.light.buttonText=#ffffff',
  ]);
  const owner = await browser().visit('/patrons', { 'x-roles': 'owner' });
  assert.equal(owner.status, 200);
  const stranger = browser();
  const screen = await stranger.visit('/patrons');
  assert.equal(screen.status, 403);
  assert.match(screen.text, /<p class="of">For patrons<[^]*<h1>Good evening<[^]*>Come in</);
  assert.match(screen.text, /--button:#5a2a6b/);
  const opened = await stranger.unlock('patrons', password, '/patrons');
  assert.deepEqual([opened.status, opened.path], [200, '/patrons']);
});
