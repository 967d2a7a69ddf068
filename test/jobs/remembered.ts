import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** A wrong password says so; once right is enough for thirty days; then the lock is removed. */
export default walk('remembered', ['index.html', 'members/a.html'], async (owner) => {
  const { dorlin, browser, wait } = owner;
  await dorlin('init', ['init', 'dist']);
  await dorlin('lock', ['lock', 'members', '/members/', '--remember', 'choice: 30 days']);
  const { password } = await dorlin('password add', ['password', 'add', 'members', '--generate']);
  const visitor = browser();
  assert.match((await visitor.unlock('members', 'x', '/members/a')).text, /That is not the password/);
  assert.match((await visitor.visit('/members/a')).text, /Stay unlocked on this device for 30 days/);
  assert.equal((await visitor.unlock('members', password, '/members/a', { stay: 'on' })).status, 200);
  wait(29);
  assert.equal((await visitor.visit('/members/a')).status, 200);
  wait(2);
  assert.equal((await visitor.visit('/members/a')).status, 403);
  await dorlin('release', ['release', 'members']);
  assert.equal((await browser().visit('/members/a')).status, 200);
});
