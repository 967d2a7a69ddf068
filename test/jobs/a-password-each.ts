import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** Several pages, each with its own password; one more that is private to staff. */
export default walk(
  'a password each',
  ['index.html', 'jones.html', 'smith.html', 'rota.html'],
  async ({ dorlin, browser }) => {
    await dorlin('init', ['init', 'dist']);
    await dorlin('lock', ['lock', 'jones', '/jones']);
    const jones = await dorlin('password add', ['password', 'add', 'jones', '--label', 'Mr Jones', '--generate']);
    await dorlin('lock', ['lock', 'smith', '/smith']);
    await dorlin('password add', ['password', 'add', 'smith', '--label', 'Ms Smith', '--generate']);
    await dorlin('lock', ['lock', 'staff', '/rota', '--outsiders', 'not-found']);
    await dorlin('bypass add', ['bypass', 'add', 'office', '--address', '127.0.0.0/8', '--lock', 'staff']);
    const { locks } = await dorlin('password list', ['password', 'list']);
    assert.deepEqual(
      locks.map(({ lock, passwords }) => [lock, passwords.map(({ label }) => label).join()]),
      [
        ['jones', 'Mr Jones'],
        ['smith', 'Ms Smith'],
        ['staff', ''],
      ],
    );
    const visitor = browser();
    await visitor.unlock('jones', jones.password, '/jones');
    assert.equal((await visitor.visit('/jones')).status, 200);
    assert.equal((await visitor.visit('/smith')).status, 403);
    assert.equal((await visitor.unlock('smith', jones.password, '/smith')).status, 403);
    assert.equal((await browser().visit('/rota')).status, 200, 'from the office');
  },
);
