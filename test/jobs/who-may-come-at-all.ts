import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** The whole site for those who are signed in, or by password; nothing is live before it is locked. */
export default walk('who may come at all', ['index.html', 'a.html'], async ({ dorlin, browser }) => {
  await dorlin('init', ['init', 'dist']);
  await dorlin('lock', ['lock', 'all', '/', '--draft']);
  await dorlin('bypass add', ['bypass', 'add', 'signed-in', '--signed-in', '--lock', 'all', '--draft']);
  const { password } = await dorlin('password add', ['password', 'add', 'all', '--generate', '--draft']);
  await dorlin('site KEY=VALUE', [
    'site',
    'identity.header.from=trustedProxies',
    'identity.header.person=x-user',
    'trustedProxies=127.0.0.1',
    '--draft',
  ]);
  assert.equal((await browser().visit('/a')).status, 200, 'a draft closes nothing');
  const { closed, ways } = await dorlin('review', ['review']);
  assert.deepEqual([closed.length, ways.length], [2, 2]);
  await dorlin('live', ['live']);
  assert.equal((await browser().visit('/a')).status, 403);
  assert.equal((await browser().visit('/a', { 'x-user': 'imke' })).status, 200);
  const visitor = browser();
  assert.equal((await visitor.unlock('all', password, '/a')).status, 200);
});
