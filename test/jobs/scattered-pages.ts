import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

const pages = ['a', 'b', 'c', 'd', 'e', 'f'].map((name) => `${name}.html`);

/** Many scattered pages are added at once and taken out at once; what outsiders get is changed. */
export default walk(
  'a group of scattered pages',
  ['index.html', 'join.html', ...pages],
  async ({ dorlin, browser }) => {
    const places = pages.map((page) => `/${page.replace('.html', '')}`);
    await dorlin('init', ['init', 'dist']);
    const { closed } = await dorlin('lock', [
      'lock',
      'group',
      ...places,
      '--until',
      '30 days',
      '--outsiders',
      'not-found',
    ]);
    assert.equal(closed.length, places.length);
    await dorlin('password add', ['password', 'add', 'group', '--generate']);
    await dorlin('password add', ['password', 'add', 'group', '--generate', '--label', 'Second']);
    assert.equal((await browser().visit('/c')).status, 404);
    await dorlin('lock', ['lock', 'group', '--outsiders', '/join']);
    assert.equal((await browser().visit('/c')).path, '/join');
    await dorlin('site KEY=VALUE', ['site', 'hosts=id.kestrelmoor.example']);
    await dorlin('lock', ['lock', 'group', '--outsiders', 'https://id.kestrelmoor.example/join']);
    assert.equal((await browser().visit('/c')).path, 'https://id.kestrelmoor.example/join');
    const { opened } = await dorlin('release', ['release', ...places]);
    assert.equal(opened.length, places.length);
    assert.equal((await browser().visit('/f')).status, 200);
  },
);
