import assert from 'node:assert/strict';
import { symlink } from 'node:fs/promises';
import { join } from 'node:path';
import { test } from 'node:test';
import { check } from '../../src/owner/check/check.js';
import { startPolicy } from '../../src/owner/init.js';
import { listPlaces } from '../../src/owner/places.js';
import { leftOutWords } from '../../src/server/site-files.js';
import { siteToSeal } from '../support/sealed.js';

test('symbolic links and names that begin with a dot are told of by init, places, check and seal', async (t) => {
  const site = await siteToSeal(
    { members: { covers: ['/members/'], passwords: { aa: 'comet lantern' } } },
    {
      'index.html': '<h1>Start</h1>',
      'members/index.html': '<h1>Members</h1>',
      '.htaccess': 'Options -Indexes',
      '.well-known/security.txt': 'Contact: mailto:hello@k.example',
      '.git/config': '',
      'press/.cache/a/b.html': 'x',
      'old.html~': 'x',
    },
  );
  t.after(site.remove);
  await symlink('../elsewhere', join(site.site, 'press/latest'));
  await symlink('index.html', join(site.site, 'start.html'));
  const leftOut = [
    { path: '/.htaccess', why: 'dot' },
    { path: '/press/.cache', why: 'dot' },
    { path: '/press/latest', why: 'link' },
    { path: '/start.html', why: 'link' },
  ];
  const places = await listPlaces(site.policyFile);
  assert.deepEqual(places.leftOut, leftOut);
  assert.deepEqual(
    places.places.map(({ path }) => path),
    ['/.well-known/security.txt', '/index.html', '/members/index.html'],
  );
  const started = await startPolicy(join(site.folder, 'other.yaml'), { folder: site.site });
  assert.deepEqual(started.leftOut, leftOut);
  const { kinds } = await check(site.policyFile);
  assert.deepEqual(
    kinds.find(({ code }) => code === 'file-left-out')?.findings.map(({ about }) => about),
    leftOut.map(({ path }) => path),
  );
  const { notes } = await site.seal();
  assert.deepEqual(notes, [
    { what: 'not published: its name begins with a dot', paths: ['/.htaccess', '/press/.cache'] },
    { what: 'not published: a symbolic link', paths: ['/press/latest', '/start.html'] },
  ]);
  assert.deepEqual(leftOutWords(places.leftOut), [
    '/press/latest, /start.html are symbolic links',
    '/.htaccess, /press/.cache have names that begin with a dot',
  ]);
});
