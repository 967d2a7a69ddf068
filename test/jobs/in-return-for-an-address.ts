import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** A visitor leaves an address, is mailed the password, and lands on what was wanted. */
export default walk('in return for an address', ['index.html', 'guide.html', 'guide.pdf'], async (owner) => {
  const { dorlin, browser, letters } = owner;
  await dorlin('init', ['init', 'dist', '--name', 'Kestrelmoor', '--origin', 'https://kestrelmoor.example']);
  await dorlin('lock', ['lock', 'guide', '/guide', '/guide.pdf', '--title', 'The night guide']);
  const { password, label } = await dorlin('password add', ['password', 'add', 'guide', '--generate']);
  await dorlin('site KEY=VALUE', [
    'site',
    '--mail-from',
    'post@kestrelmoor.example',
    '--mail-server',
    'smtp://127.0.0.1',
  ]);
  await dorlin('screen new', [
    'screen',
    'new',
    'asking',
    '--look',
    'orchard',
    '--lock',
    'guide',
    `below=[{ request: { gives: { password: ${label} }, consent: 'Yes, write to me.' } }]`,
  ]);
  const visitor = browser();
  const screen = await visitor.visit('/guide.pdf');
  assert.match(screen.text, />Send me the password<[^]*|Yes, write to me/);
  assert.doesNotMatch(screen.text, /not for the public/);
  const form = new URLSearchParams({ lock: 'guide', to: '/guide.pdf', address: 'ines@school.example', consent: 'on' });
  await fetch(`${owner.url()}/_dorlin/request`, { method: 'POST', body: form });
  assert.match(letters[0]?.subject ?? '', /^Kestrelmoor: the way in to The night guide$/);
  assert.match(letters[0]?.text ?? '', new RegExp(password));
  const opened = await visitor.unlock('guide', password, '/guide.pdf');
  assert.deepEqual([opened.status, opened.path], [200, '/guide.pdf']);
  const list = await dorlin('requests', ['requests']);
  assert.equal(list.requests[0]?.address, 'ines@school.example');
  await dorlin('release', ['release', 'guide']);
  assert.equal((await browser().visit('/guide.pdf')).status, 200);
});
