import assert from 'node:assert/strict';
import { readFile, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, test } from 'node:test';
import { gzipSync } from 'node:zlib';
import { commandsIn, dorlinHere } from '../support/command-line.js';
import { policyText } from '../support/policies.js';
import { runSite, temporaryFolder, writeFiles } from '../support/sites.js';

let folder: string;
let remove: () => Promise<void>;
const { run, fails } = commandsIn(() => folder, dorlinHere);
const policy = () => readFile(join(folder, 'dorlin.yaml'), 'utf8');
const isThere = (name: string) =>
  stat(join(folder, name)).then(
    () => true,
    () => false,
  );

beforeEach(async () => {
  ({ folder, remove } = await temporaryFolder());
  await writeFiles(folder, {
    'index.html': 'start',
    'about.html': 'about',
    'members/index.html': 'x',
    'members/log.html': 'x',
    'members/rota.html': 'x',
    'dorlin.yaml': '# Ours.\ndorlin: 1\nsite: { name: T, folder: . }\nlocks: {}\n',
  });
});
afterEach(() => remove());

describe('drafts, and steps back', () => {
  test('edits are gathered, looked at, made live together, and taken back', async () => {
    const before = await policy();
    assert.match(
      await run('lock', 'members', '/members/', '--draft'),
      /by members\n +\/members\/ +all 3 addresses in it\n[^]*In the draft/,
    );
    await run('password', 'add', 'members', '--label', 'New', '--generate', '--draft');
    await run('lock', 'desk', '/about', '--draft');
    assert.equal(await policy(), before, 'nothing of it counts');
    const told = await run('review');
    assert.match(told, /of 5 addresses/, 'neither the policy nor its draft is a page');
    assert.match(told, /Closed: 4 addresses\n +by desk\n +\/about\.html\n +by members\n +\/members\/ /);
    assert.match(told, /members: the password “New” opens it now/);
    const { closed, groups, ways } = JSON.parse(await run('live', '--json')) as Record<string, object[]>;
    assert.equal(closed?.length, 4);
    assert.deepEqual(groups?.[0], {
      change: 'closed',
      before: [],
      after: ['desk'],
      addresses: 1,
      places: [{ place: '/about.html', addresses: 1 }],
    });
    assert.deepEqual(ways, [{ change: 'added', lock: 'members', kind: 'password', label: 'New' }]);
    assert.match(await policy(), /^# Ours\.[^]*label: New/);
    assert.equal(await isThere('dorlin.draft.yaml'), false);
    assert.match(await run('password', 'show', 'members'), /-/, 'it can be looked up');

    await run('release', '/about');
    assert.match(await run('back'), /Closed: 1 address\n +by desk/);
    assert.match(await run('back'), /Opened: 4 addresses[^]*“New” no longer opens it/);
    assert.equal(await policy(), before);
    assert.match(await fails('back'), /is not as a command of Dorlin left it, or none/);
  });

  test('what was edited by hand is never overwritten unasked', async () => {
    await run('lock', 'members', '/members/', '--draft');
    await run('lock', 'desk', '/about');
    assert.match(await fails('live'), /was changed since its draft was begun; nothing was made live/);
    assert.match(await policy(), /desk/);
    assert.match(await run('live', '--over'), /Opened: 1 address\n +was shut by desk/);
    await writeFile(join(folder, 'dorlin.yaml'), (await policy()).replace('name: T', 'name: U'));
    assert.match(await fails('back'), /is not as a command of Dorlin left it/);
    assert.match(await policy(), /name: U/);
  });

  test('a draft can be thrown away, and one with a mistake is not made live', async () => {
    await run('lock', 'members', '/members/', '--draft');
    assert.match(await run('back', '--draft'), /is gone/);
    for (const words of [['back', '--draft'], ['live'], ['review']]) {
      assert.match(await fails(...words), /There is no draft dorlin\.draft\.yaml/);
    }
    await run('lock', 'members', '/members/', '--draft');
    await writeFile(join(folder, 'dorlin.draft.yaml'), 'dorlin: 1\n');
    assert.match(await fails('live'), /dorlin\.draft\.yaml/);
    assert.equal(await isThere('dorlin.draft.yaml'), true);
  });

  test('a password retired in a draft can be looked up until the draft is live', async () => {
    await run('lock', 'members', '/members/');
    await run('password', 'add', 'members', '--label', 'Old', '--generate');
    await run('password', 'add', 'members', '--label', 'New', '--generate', '--draft');
    await run('password', 'retire', 'members', 'Old', '--draft');
    assert.match(await run('password', 'show', 'members', 'Old'), /-/);
    await run('live');
    assert.match(await run('password', 'show', 'members', 'New'), /-/);
    assert.match(await fails('password', 'show', 'members', 'Old'), /no password `Old`/);
  });
});

describe('what a review goes by', () => {
  test('a sitemap, in a file or on a site, or a walk over the site', async () => {
    const loc = (path: string) => `<url><loc>https://k.example${path}</loc></url>`;
    const urls = `<urlset>${loc('/about')}${loc('/members/log')}</urlset>`;
    const site = await runSite(
      {
        'index.html': '<a href="/about#x">a</a> <a href="https://elsewhere.example/no">no</a>',
        'about.html': '<base href="/members/"><a href="log">log</a><img src="/pic.png">',
        'members/log.html': 'x',
        'map.txt': '',
      },
      await policyText({}),
    );
    await writeFiles(join(site.folder, 'site'), {
      'index.xml': `<sitemapindex><sitemap><loc>${site.url}/urls.xml.gz</loc></sitemap></sitemapindex>`,
      'new.html': 'x',
    });
    await writeFile(join(site.folder, 'site/urls.xml.gz'), gzipSync(urls));
    await writeFile(join(folder, 'urls.xml'), urls);
    await run('lock', 'members', '/members/', '--draft');
    const addresses = async (...words: string[]) => {
      const { closed, addresses: count } = JSON.parse(await run('review', ...words, '--json')) as {
        closed: string[];
        addresses: number;
      };
      return [...closed, count];
    };
    assert.deepEqual(await addresses('--sitemap', 'urls.xml'), ['/members/log', 2]);
    assert.deepEqual(await addresses('--crawl', site.url), ['/members/log', 3]);
    for (let tries = 0; ; tries++) {
      const answer = await fetch(`${site.url}/new`);
      if (answer.ok || tries > 200) break;
      await new Promise((resolve) => setTimeout(resolve, 20));
    }
    assert.deepEqual(await addresses('--sitemap', `${site.url}/index.xml`), ['/members/log', 2]);
    assert.match(await fails('review', '--sitemap', 'index.html'), /cannot be read: it is no sitemap/);
    assert.match(await fails('review', '--sitemap', `${site.url}/none`), /the answer is 404/);
    assert.match(await fails('review', '--crawl', 'http://127.0.0.1:1'), /does not answer/);
    assert.match(await fails('review', '--crawl', 'here'), /is no address of a site/);
    assert.match(await fails('review', '--crawl', site.url, '--pages', '-'), /exclude each other/);
    assert.match(await fails('review', 'dorlin.yaml'), /name the new one/);
    await site.close();
  });
});
