import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

const children = Array.from({ length: 50 }, (_, at) => `parents/page-${at}.html`);

/** A parent locks its children: a child is closed and says whose lock it is; entered once for all. */
export default walk(
  'fifty pages, one password',
  ['index.html', 'parents/index.html', ...children],
  async ({ dorlin, browser }) => {
    await dorlin('init', ['init', 'dist']);
    const { closed, groups } = await dorlin('lock', ['lock', 'parents', '/parents/', '--title', 'For parents']);
    assert.deepEqual([closed.length, groups[0]?.places[0]?.place], [51, '/parents/']);
    const { password } = await dorlin('password add', ['password', 'add', 'parents', '--generate']);
    const visitor = browser();
    assert.match((await visitor.visit('/parents/page-31')).text, /For parents/);
    await visitor.unlock('parents', password, '/parents/page-31');
    for (const page of ['/parents/', '/parents', '/parents/page-0', '/parents/page-49.html']) {
      assert.equal((await visitor.visit(page)).status, 200, page);
    }
  },
);
