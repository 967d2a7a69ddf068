import assert from 'node:assert/strict';
import { writeFile } from 'node:fs/promises';
import { createServer } from 'node:net';
import type { AddressInfo } from 'node:net';
import { test } from 'node:test';
import { patrolMark } from '../../src/core/passes/patrol-mark.js';
import { audienceOf } from '../../src/core/passes/pass.js';
import { check } from '../../src/owner/check/check.js';
import { readEvents } from '../../src/owner/journal.js';
import { reportOf, walkSite } from '../../src/owner/patrol/patrol.js';
import { makeAsker } from '../../src/patrol/asker.js';
import { openDraft } from '../../src/stores/draft.js';
import { openKeys } from '../../src/stores/keeping.js';
import { policyText } from '../support/policies.js';
import { runSite, until } from '../support/sites.js';

const limits = { pages: 200, minutes: 2, atOnce: 4 };
const locks = {
  looks: { covers: ['/style.css', '/many/'], passwords: { One: 'plover kettle' } },
};
const page = '<link rel="stylesheet" href="/style.css"><a href="/about">Open to all.</a>';
const many = Array.from({ length: 12 }, (_, at) => `<img src="/many/p${at}.png">`).join('');

test('a patrol tells what open pages need, many in one line, and marks its visits in the journal', async () => {
  const pictures = Object.fromEntries(Array.from({ length: 12 }, (_, at) => [`many/p${at}.png`, `picture ${at}`]));
  const files = { 'index.html': page + many, 'about.html': page, 'style.css': 'p{}', ...pictures };
  const site = await runSite(files, await policyText(locks, {}, { journal: {} }));
  const { result, policy } = await walkSite({ url: `${site.url}/`, policyFile: site.policyFile, ...limits });
  const { groups } = reportOf(result);
  const needs = groups.find(({ code }) => code === 'open-needs-locked');
  assert.match(
    needs?.lines.map(({ where, how, cases }) => `${where} ${how} ${cases}`).join('\n') ?? '',
    /^\/style\.css needed by 2 open pages 1\n\/many\/: 12 addresses, such as p0\.png, p1\.png, p2\.png needed by an open page 12$/m,
  );
  // A stranger who says the same without the secret is counted like anybody.
  for (const mark of ['yes', 'a.b.c', await patrolMark('another site', 4e9, await openKeys(site.policyFile))]) {
    await fetch(`${site.url}/style.css`, { headers: { 'dorlin-patrol': mark } });
  }
  const ended = await patrolMark(
    audienceOf((policy as NonNullable<typeof policy>).site),
    1,
    await openKeys(site.policyFile),
  );
  await fetch(`${site.url}/style.css`, { headers: { 'dorlin-patrol': ended } });
  await until(() => site.events.filter(({ patrol }) => patrol !== true).length >= 4);
  assert.ok(site.events.filter(({ patrol }) => patrol === true).length > 5);
  await site.close();
  const own = site.events.filter(({ patrol, type }) => patrol !== true && type === 'asked');
  assert.equal(own.length, 4);
});

test('the journal leaves patrols out of its counts, unless they are asked for', async () => {
  const site = await runSite({ 'index.html': page, 'style.css': 'p{}' }, await policyText(locks, {}, { journal: {} }));
  await fetch(`${site.url}/style.css`);
  await walkSite({ url: `${site.url}/`, policyFile: site.policyFile, ...limits });
  await site.guard.close();
  const plain = await readEvents(site.policyFile);
  assert.deepEqual([plain.entries.length, plain.locks[0]?.met], [1, 1]);
  assert.ok(plain.patrolEvents > 3);
  const all = await readEvents(site.policyFile, { patrols: true });
  assert.equal(all.entries.length, plain.patrolEvents + 1);
  await site.close();
});

test('a refusal is told from waiting in vain, and both from a broken connection', async () => {
  const server = createServer((socket) => socket.destroy());
  await new Promise<void>((ready) => server.listen(0, '127.0.0.1', ready));
  const { port } = server.address() as AddressInfo;
  const problem = async () => {
    const asker = makeAsker(`http://127.0.0.1:${port}`, 1);
    const answer = await asker.ask({ target: '/' });
    asker.close();
    return answer.problem;
  };
  assert.match((await problem()) ?? '', /broken off|socket hang up/);
  await new Promise((closed) => server.close(closed));
  assert.equal(await problem(), 'nothing listens there');
});

test('those let in by a bypass are told of a waiting draft in the bar', async () => {
  const staffed = { all: { covers: ['/'], bypass: ['here'], passwords: { One: 'x' } } };
  const site = await runSite(
    { 'index.html': '<body>x</body>' },
    await policyText(staffed, {}, { bypasses: { here: { addresses: ['127.0.0.1'] } } }),
  );
  const seen = async () => (await fetch(site.url, { headers: { accept: 'text/html' } })).text();
  assert.doesNotMatch(await seen(), /waiting in a draft/);
  await openDraft(site.policyFile);
  await until(async () => (await seen()).includes('waiting in a draft'));
  await site.close();
});

test('check does not send an owner round in a circle over a picture of a screen', async () => {
  const screens = { default: { logo: { picture: '/logo.svg', alt: 'x', width: 90, height: 30 } } };
  const locked = { all: { covers: ['/'], passwords: { One: 'plover kettle amber' } } };
  const site = await runSite(
    { 'index.html': '<img src="/logo.svg">', 'logo.svg': '<svg/>' },
    await policyText(locked, {}, { screens }),
  );
  const codes = async (policy: typeof locked | { all: object }) => {
    await writeFile(site.policyFile, await policyText(policy as typeof locked, {}, { screens }));
    const { kinds } = await check(site.policyFile, { folder: `${site.folder}/site` });
    return kinds.map(({ code }) => code).filter((code) => /^screen-file|^file-beside/.test(code));
  };
  assert.deepEqual(await codes(locked), ['screen-file-locked']);
  assert.deepEqual(await codes({ all: { ...locked.all, except: ['/logo.svg'] } }), []);
  await site.close();
});
