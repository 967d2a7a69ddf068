import assert from 'node:assert/strict';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { after, before, test } from 'node:test';
import { testConsole } from '../support/consoles.js';
import { until } from '../support/sites.js';

const policy = `
dorlin: 1
site: { name: Kestrelmoor, origin: https://kestrelmoor.example, folder: dist }
journal: { keep: 90 days }
locks:
  members: { covers: [/members/] }
  press: { covers: [/press/] }
`;
let world: Awaited<ReturnType<typeof testConsole>>;
let imke: Awaited<ReturnType<typeof world.person>>;
const site = createServer((_, response) => response.end('<title>Start</title>'));
let url: string;

before(async () => {
  world = await testConsole(policy, { 'press/index.html': '<title>Press</title>' });
  imke = await world.person('Imke');
  await new Promise<void>((listening) => site.listen(0, '127.0.0.1', listening));
  url = `http://127.0.0.1:${(site.address() as AddressInfo).port}/`;
});
after(async () => {
  site.close();
  await world.close();
});

test('of two patrols at the same moment one runs, and it walks over no site of others', async () => {
  for (const other of ['https://elsewhere.example/', 'http://192.0.2.1/', 'file:///etc/passwd', 'nothing'])
    assert.equal(await imke.refused('patrol', { url: other }), '400 origin-invalid', other);
  const both = await Promise.all([imke.refused('patrol', { url }), imke.refused('patrol', { url })]);
  assert.deepEqual(both.sort(), ['400 policy-busy', 'done']);
  await until(async () => (await imke.call('patrol.standing', {})).running === undefined);
  const { standing } = await imke.call('patrol.standing', {});
  assert.ok(standing !== undefined, 'nothing was kept');
});

test('an edit that changes nothing leaves no draft behind', async () => {
  await imke.call('lock.change', { lock: 'members', places: ['/members/'] });
  assert.equal((await imke.session()).draft, undefined);
});

test('a keeper reads the log of their own locks, one of which may be gone', async () => {
  const kit = await world.person('Kit', { role: 'keeper', locks: ['members', 'press'] });
  assert.deepEqual((await kit.call('journal', {})).locks.map(({ lock }) => lock).sort(), ['members', 'press']);
  await imke.call('release', { locks: ['press'], now: true });
  assert.deepEqual(
    (await kit.call('journal', {})).locks.map(({ lock }) => lock),
    ['members'],
  );
  assert.deepEqual((await kit.call('journal', { locks: ['other'] })).locks, []);
});
