import assert from 'node:assert/strict';
import { createServer, type RequestListener } from 'node:http';
import { writeFile } from 'node:fs/promises';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { describe, test } from 'node:test';
import { brotliCompressSync } from 'node:zlib';
import { patrol } from '../../src/patrol/patrol.js';
import { makeAsker } from '../../src/patrol/asker.js';
import { proposeChange } from '../../src/patrol/propose.js';
import { noRecord, openRecord } from '../../src/patrol/record.js';
import { headlineOf, isClean } from '../../src/patrol/reports/said.js';
import { makeFrontier } from '../../src/patrol/walk.js';
import { startFlawed } from '../support/flawed-site.js';
import { testPolicy } from '../support/policies.js';
import { temporaryFolder } from '../support/sites.js';

async function serving(listener: RequestListener, longest?: number) {
  const server = createServer(listener);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const asker = makeAsker(`http://127.0.0.1:${(server.address() as AddressInfo).port}`, 2, longest);
  return {
    asker,
    close: () => {
      asker.close();
      server.close();
      server.closeAllConnections();
    },
  };
}

describe('asking', () => {
  test('waits as long as the site wants, and takes a closed notice for an answer', async () => {
    const asked: string[] = [];
    const { asker, close } = await serving((request, response) => {
      asked.push(request.url ?? '');
      if (request.url === '/busy' && asked.length === 1) response.writeHead(429, { 'retry-after': '1' }).end();
      else if (request.url === '/closed')
        response.writeHead(503, { 'retry-after': '5', 'content-type': 'text/html' }).end('<h1>Closed</h1>');
      else if (request.url === '/long') response.writeHead(503, { 'retry-after': '86400' }).end();
      else response.end('here');
    });
    assert.equal((await asker.ask({ target: '/busy' })).status, 200);
    assert.equal(asker.spent.pausedSeconds, 1);
    assert.equal((await asker.ask({ target: '/closed' })).status, 503);
    assert.equal((await asker.ask({ target: '/long' })).status, 503);
    assert.deepEqual(asked, ['/busy', '/busy', '/closed', '/long']);
    close();
  });

  test('an answer that never ends is looked into as far as it came', async () => {
    const timers: NodeJS.Timeout[] = [];
    const { asker, close } = await serving((_request, response) => {
      response.write('begun ');
      timers.push(setInterval(() => response.write('and on '), 20));
    }, 200);
    for (let times = 0; times < 3; times++) {
      const { status, body } = await asker.ask({ target: '/events' });
      assert.equal(status, 200);
      assert.match(body.toString(), /^begun and on /);
    }
    timers.forEach(clearInterval);
    close();
  });

  test('sends targets as they are, unpacks, and names what went wrong', async () => {
    const { asker, close } = await serving((request, response) => {
      response
        .writeHead(200, { 'content-encoding': 'br' })
        .end(brotliCompressSync(`${request.url ?? ''} ${request.headers['sec-fetch-dest'] ?? 'none'}`));
    });
    const said = async (target: string, headers = {}) => (await asker.ask({ target, headers })).body.toString();
    assert.equal(await said('/a/../b//%2e%2E/\\x'), '/a/../b//%2e%2E/\\x document');
    assert.equal(await said('/a', { 'sec-fetch-dest': '' }), '/a none');
    const impossible = await asker.ask({ target: '/a b' });
    assert.equal(impossible.status, 0);
    assert.match(impossible.problem ?? '', /unescaped characters/);
    close();
  });

  test('ends at its limits, and says how much is left', () => {
    const limits = { pages: 2, until: Date.now() + 1e6 };
    const frontier = makeFrontier(limits, (target) => target !== '/no');
    for (const target of ['/a', '/a', '/no', '/b', '/c']) frontier.add(target);
    assert.deepEqual([frontier.waiting, frontier.left], [2, 1]);
    const calendar = makeFrontier({ ...limits, pages: 1000 }, () => true);
    for (let day = 0; day < 100; day++) calendar.add(`/dates?day=${day}`);
    assert.equal(calendar.waiting, 20);
    const late = makeFrontier({ pages: 9, until: Date.now() - 1 }, () => true);
    late.add('/a');
    assert.deepEqual([late.take(), late.left], [undefined, 1]);
  });
});

describe('a patrol', () => {
  const options = {
    files: [],
    from: undefined,
    limits: { pages: 5000, until: Date.now() + 600_000, atOnce: 6 },
    pause: 0,
    skip: [],
    record: noRecord,
    now: Date.now() / 1000,
    onProgress: () => undefined,
  };

  test('from an address that the site does not believe finds it kept out', async () => {
    const site = await startFlawed(() => false);
    const { url, policy, keys } = site;
    const { findings } = await patrol({ ...options, url, policy, keys, from: '203.0.113.9' });
    site.close();
    const found = findings.map(({ code, lock }) => `${code} ${lock}`);
    assert.ok(found.includes('address-kept-out vault'), found.join());
    assert.ok(found.includes('lock-does-not-count idle'));
    assert.deepEqual(
      found.filter((one) => !/^address-kept-out|^lock-does/.test(one)),
      [],
    );
  });

  test('in doubt, takes what is open for what is locked', async () => {
    // Nobody can open the section's lock here, and it stands in the page.
    const site = await startFlawed((flaw) => flaw === 'section');
    const passwords = new Map([...site.keys.passwords].filter(([lock]) => lock !== 'walk'));
    const { url, policy } = site;
    const walked = await patrol({ ...options, url, policy, keys: { ...site.keys, passwords } });
    site.close();
    assert.deepEqual(
      walked.findings.filter(({ severity }) => severity !== 'warning').map(({ code, place }) => `${code} ${place}`),
      ['section-open /talks#room'],
    );

    // All words of the locked page stand on open ones too, and a mark in it is never the same.
    let mark = 0;
    const menu = '<p>All pages of this small site say the very same few words and nothing else</p>';
    const page = () =>
      `<!doctype html><html><body>${menu}<a href="/a">a</a><a href="/b">b</a><i>${mark++}</i></body></html>`;
    const { asker, close } = await serving((request, response) => {
      const isThere = ['/', '/a', '/b', '/locked'].includes(request.url ?? '');
      response.writeHead(isThere ? 200 : 404, { 'content-type': 'text/html' }).end(isThere ? page() : '');
    });
    const files = [{ target: '/locked', type: 'text/html', read: () => Promise.resolve(Buffer.from(page())) }];
    const own = await testPolicy({ quiet: { covers: ['/locked'], passwords: { All: 'open-quiet' } } });
    const none = { passwords: new Map(), endedPasswords: [], links: [], deadLinks: [], credentials: [] };
    const { findings } = await patrol({ ...options, url: asker.origin, policy: own, keys: none, files });
    close();
    assert.deepEqual(
      findings.filter(({ severity }) => severity === 'leak').map(({ code }) => code),
      ['open-to-strangers'],
    );
  });

  test('that was cut short says so, and what it kept counts for its policy and its day', async () => {
    const site = await startFlawed(() => false);
    const { url, policy, keys } = site;
    const limits = { ...options.limits, pages: 9 };
    const result = await patrol({ ...options, url, policy, keys, limits });
    site.close();
    assert.ok(result.left > 0, 'some are left');
    assert.equal(isClean(result), false);
    assert.doesNotMatch(headlineOf(result), /Nothing leaks/);
    const { folder, remove } = await temporaryFolder();
    const file = join(folder, 'kept.jsonl');
    await (await openRecord(file, 'one policy')).flush();
    await openRecord(file, 'one policy');
    await assert.rejects(openRecord(file, 'another policy'), /no record of a patrol/);
    await writeFile(file, JSON.stringify({ patrol: 1, of: 'one policy', at: Date.now() - 90_000_000 }));
    await assert.rejects(openRecord(file, 'one policy'), /begun more than a day ago/);
    await writeFile(file, 'something else');
    await assert.rejects(openRecord(file, 'one policy'), /no record of a patrol/);
    await remove();
  });

  test('names a policy that the site does not follow', async () => {
    const site = await startFlawed(() => false);
    // Of this, the site knows nothing.
    const policy = await testPolicy({
      members: { covers: ['/about', '/members/'], except: ['/members/log'], passwords: { All: 'open-members' } },
    });
    const { findings, rows } = await patrol({
      ...options,
      url: site.url,
      policy,
      keys: { ...site.keys, links: [], deadLinks: [], credentials: [], endedPasswords: [] },
    });
    site.close();
    const found = findings.map(({ code, place }) => `${code} ${place}`);
    assert.ok(found.includes('open-to-strangers /about'), found.join());
    assert.ok(found.includes('open-is-closed everything else'), found.join());
    assert.equal(rows[0]?.cells.stranger?.verdict, 'leak');
  });

  test('proposes to keep back what holds the words of several locks, and leaves pages to their owner', async () => {
    const policy = await testPolicy({
      one: { covers: ['/one/'], passwords: { All: 'first-word' } },
      two: { covers: ['/two/'], passwords: { All: 'second-word' } },
    });
    const finding = (
      code: 'words-in-search-index' | 'words-in-page-data' | 'feed-names-locked' | 'open-to-strangers',
      lock: string,
      where: string,
      isFile = true,
    ) => ({ code, severity: 'leak' as const, place: `/${lock}/`, lock, cases: [{ where, how: '', isFile }] });
    const { changes, byHand } = proposeChange(policy, [
      finding('words-in-search-index', 'one', '/search.json?v=3'),
      finding('words-in-search-index', 'two', '/search.json?v=3'),
      finding('words-in-page-data', 'one', '/data/caf%C3%A9.json'),
      finding('words-in-page-data', 'one', '/news', false),
      finding('feed-names-locked', 'two', '/blog/atom.xml'),
      finding('open-to-strangers', 'two', '/two/'),
    ]);
    assert.deepEqual(changes, [
      { kind: 'cover', lock: 'kept-back', place: '/search.json' },
      { kind: 'cover', lock: 'one', place: '/data/café.json' },
      { kind: 'feeds', place: '/blog/atom.xml' },
    ]);
    assert.deepEqual(
      byHand.map(({ cases }) => cases[0]?.where),
      ['/news', '/two/'],
    );
  });
});
