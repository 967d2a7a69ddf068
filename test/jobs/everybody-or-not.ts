import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** A page between everybody, a password and those signed in, and back. */
export default walk('everybody or not', ['index.html', 'notes.html'], async ({ dorlin, browser }) => {
  const status = async () => (await browser().visit('/notes')).status;
  await dorlin('init', ['init', 'dist']);
  await dorlin('lock', ['lock', 'notes', '/notes']);
  await dorlin('password add', ['password', 'add', 'notes', '--label', 'Readers', '--generate']);
  assert.equal(await status(), 403);
  await dorlin('lock', ['lock', 'notes', '--off']);
  assert.equal(await status(), 200);
  await dorlin('lock', ['lock', 'notes', '--on']);
  await dorlin('password retire', ['password', 'retire', 'notes', 'Readers']);
  await dorlin('bypass add', ['bypass', 'add', 'signed-in', '--signed-in', '--lock', 'notes']);
  const screen = await browser().visit('/notes');
  assert.match(screen.text, /<h1>Please sign in</);
  assert.doesNotMatch(screen.text, /type="password"/);
  await dorlin('release', ['release', 'notes']);
  assert.equal(await status(), 200);
});
