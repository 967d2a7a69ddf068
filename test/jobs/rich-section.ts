import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

const page = '<h1>Log</h1><section data-dorlin-lock="night"><h2>Tonight</h2><ul><li>Jupiter</li></ul></section>';

/** A section with several passwords; a role sees it at once; a changed password asks again. */
export default walk(
  'a section with rich content',
  { 'index.html': '<p>x</p>', 'log.html': page },
  async ({ dorlin, browser }) => {
    await dorlin('init', ['init', 'dist']);
    await dorlin('lock', ['lock', 'night', '/log#none', '--dynamic', '--remember', '30 days']);
    await dorlin('release', ['release', '/log#none']);
    const first = await dorlin('password add', ['password', 'add', 'night', '--label', 'Club', '--generate']);
    await dorlin('password add', ['password', 'add', 'night', '--label', 'Guests', '--generate']);
    await dorlin('bypass add', ['bypass', 'add', 'home', '--address', '127.0.0.2', '--lock', 'night']);
    const visitor = browser();
    assert.doesNotMatch((await visitor.visit('/log')).text, /Jupiter/);
    await visitor.unlock('night', first.password, '/log');
    assert.match((await visitor.visit('/log')).text, /<h2>Tonight<\/h2><ul><li>Jupiter/);
    await dorlin('password rotate', ['password', 'rotate', 'night', 'Club', '--generate']);
    assert.doesNotMatch((await visitor.visit('/log')).text, /Jupiter/);
  },
);
