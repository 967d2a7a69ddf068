import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** A page that is wholly an announcement: picture, countdown, and an address that is only kept. */
export default walk('opening soon', ['index.html', 'dome.jpg'], async (owner) => {
  const { dorlin, browser } = owner;
  await dorlin('init', ['init', 'dist', '--name', 'Kestrelmoor', '--language', 'en-GB']);
  await dorlin('lock', ['lock', 'opening', '/', '--until', '30 days', '--outsiders', 'closed']);
  await dorlin('release', ['release', '/dome.jpg']);
  await dorlin('screen new', [
    'screen',
    'new',
    'soon',
    '--look',
    'lantern',
    '--lock',
    'opening',
    'layout=cover',
    'picture={ picture: /dome.jpg, alt: The dome at dusk }',
    'closedHeading=The new dome opens soon',
    'above=[countdown: end]',
    "below=[{ request: { gives: nothing, consent: 'Write to me when it opens.' } }]",
  ]);
  const page = await browser().visit('/');
  assert.equal(page.status, 503);
  assert.match(
    page.text,
    /<h1>The new dome opens soon[^]*class="countdown"[^]*Write to me when it opens[^]*>Let me know</,
  );
  assert.match(page.text, /name="viewport" content="width=device-width/);
  assert.doesNotMatch(page.text, /dorlin<|powered|type="password"/i);
  const body = new URLSearchParams({ lock: 'opening', to: '/', address: 'ann@a.example', consent: 'on' });
  const thanks = await fetch(`${owner.url()}/_dorlin/request`, { method: 'POST', body });
  assert.match(await thanks.text(), /Thank you/);
  assert.equal((await dorlin('requests', ['requests'])).requests[0]?.gives, 'nothing');
});
