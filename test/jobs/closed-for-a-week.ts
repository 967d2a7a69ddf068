import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** The whole site is closed with one message and a day of reopening, and opens by itself. */
export default walk('closed for a week', ['index.html', 'shop/index.html'], async (owner) => {
  const { dorlin, browser, wait } = owner;
  await dorlin('init', ['init', 'dist', '--name', 'Kestrelmoor', '--language', 'en-IE']);
  await dorlin('screen new', [
    'screen',
    'new',
    'away',
    '--look',
    'gazette',
    'closedHeading=Back on Thursday week',
    'closedMessage=We are ill. Nothing is asked of you.',
  ]);
  const { closed } = await dorlin('lock', [
    'lock',
    'away',
    '/',
    '--until',
    '7 days',
    '--outsiders',
    'closed',
    '--screen',
    'away',
  ]);
  assert.equal(closed.length, 2);
  const page = await browser().visit('/shop/');
  assert.equal(page.status, 503);
  assert.match(page.text, /<h1>Back on Thursday week<[^]*We are ill[^]*It opens on/);
  assert.doesNotMatch(page.text, /type="password"/);
  assert.ok(Number(page.headers.get('retry-after')) > 6 * 86_400);
  const later = await dorlin('explain', ['explain', '/shop/', '--at', '8 days']);
  assert.equal(later.decision, 'open');
  await dorlin('check', ['check']);
  wait(7.1);
  assert.equal((await browser().visit('/shop/')).status, 200);
});
