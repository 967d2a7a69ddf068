import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** One page for patrons, which editors pass; released again, and that is checked. */
export default walk('patrons', ['index.html', 'patrons/index.html'], async ({ dorlin, browser }) => {
  await dorlin('init', ['init', 'dist']);
  await dorlin('lock', ['lock', 'patrons', 'https://kestrelmoor.example/patrons/?from=mail']);
  const { password } = await dorlin('password add', ['password', 'add', 'patrons', '--generate']);
  await dorlin('bypass add', ['bypass', 'add', 'editors', '--role', 'editor', '--lock', 'patrons']);
  await dorlin('site KEY=VALUE', [
    'site',
    'identity.header.from=trustedProxies',
    'identity.header.roles=x-roles',
    'trustedProxies=127.0.0.1',
  ]);
  assert.equal((await browser().visit('/patrons/', { 'x-roles': 'editor' })).status, 200);
  assert.equal((await browser().visit('/patrons', { 'x-roles': 'reader' })).status, 403);
  const another = browser();
  await another.unlock('patrons', password, '/patrons/');
  assert.equal((await another.visit('/patrons/index.html')).status, 200);
  const { opened, emptied } = await dorlin('release', ['release', '/patrons/']);
  assert.deepEqual([opened, emptied], [['/patrons/index.html'], ['patrons']]);
  assert.equal((await dorlin('explain', ['explain', '/patrons/'])).decision, 'open');
  assert.equal((await browser().visit('/patrons/')).status, 200);
});
