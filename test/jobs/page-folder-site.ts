import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** A page, a folder and the site in turn; the wrong state of the screen, and a way home. */
export default walk(
  'page, folder, site',
  ['index.html', 'about.html', 'members/index.html', 'members/a.html'],
  async ({ dorlin, browser }) => {
    await dorlin('init', ['init', 'dist']);
    await dorlin('lock', ['lock', 'page', '/about']);
    assert.equal((await browser().visit('/about.html')).status, 403);
    await dorlin('lock', ['lock', 'folder', '/members/']);
    assert.deepEqual(
      [(await browser().visit('/members')).status, (await browser().visit('/members/a')).status],
      [403, 403],
    );
    await dorlin('lock', ['lock', 'site', '/', '--remember', '30 days']);
    const { opened, needs } = await dorlin('release', ['release', '/index.html']);
    assert.deepEqual([opened, needs], [['/index.html'], []]);
    const { password } = await dorlin('password add', ['password', 'add', 'folder', '--generate']);
    const visitor = browser();
    const wrong = await visitor.unlock('folder', 'not this', '/members/a');
    assert.match(wrong.text, /That is not the password[^]*href="\/"[^>]*>Back to the start page/);
    assert.equal((await visitor.unlock('folder', password, '/members/a')).status, 200);
    // An assistant changes the password, and those who are in are out.
    const next = await dorlin('password rotate', ['password', 'rotate', 'folder', '--generate']);
    assert.equal((await visitor.visit('/members/')).status, 403);
    assert.equal((await visitor.unlock('folder', next.password, '/members/')).status, 200);
  },
);
