import assert from 'node:assert/strict';
import { readdir, readFile, symlink, utimes, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, test } from 'node:test';
import { testConsole } from '../support/consoles.js';
import { temporaryFolder, until } from '../support/sites.js';

const policy = `
dorlin: 1
site: { name: Kestrelmoor, origin: https://kestrelmoor.example, folder: dist }
locks:
  press: { covers: [/press/], until: 2026-06-01 }
  members: { covers: [/members/], links: [{ id: k7x2, label: Crew, until: 2099-01-01 }] }
`;
let world: Awaited<ReturnType<typeof testConsole>>;
let imke: Awaited<ReturnType<typeof world.person>>;
before(async () => {
  const pages = Object.fromEntries(Array.from({ length: 40 }, (_, at) => [`members/${at}.html`, `CANARY-${at} of it`]));
  world = await testConsole(policy, { 'members/index.html': '<title>Members</title>CANARY-LOG', ...pages });
  imke = await world.person('Imke');
  await imke.call('password.add', { lock: 'members', is: { words: 5 }, label: 'All', now: true });
});
after(() => world.close());

const standing = () => imke.call('seal.standing', {});
const ended = async () => {
  // On a machine with other work, keyrings and the look through what was written take a while.
  for (let times = 0; times < 5; times++) {
    const isOver = await until(async () => !(await standing()).isRunning).then(
      () => true,
      () => false,
    );
    if (isOver) break;
  }
  return standing();
};

test('nothing is written but beside the policy, and over nothing that is no sealed site', async () => {
  const elsewhere = await temporaryFolder();
  await symlink(elsewhere.folder, join(world.folder, 'linked'));
  await writeFile(join(elsewhere.folder, 'kept.txt'), 'of somebody else');
  const places = [
    '../elsewhere',
    elsewhere.folder,
    '.',
    './',
    '.dorlin',
    '.git/hooks',
    'a/../..',
    'dist',
    'dist/in',
    'linked',
  ];
  for (const out of places) {
    await imke.call('seal', { out });
    const { problem, last } = await ended();
    assert.equal(problem?.code, 'seal-folder', out);
    assert.equal(last, undefined, out);
  }
  for (const base of ['members', '/../', '//evil.example/', '/a b/']) {
    await imke.call('seal', { out: 'sealed', base });
    assert.equal((await ended()).problem?.code, 'call-wrong', base);
  }
  // A link out of it, to what is empty, and to what is not there.
  await symlink(join(elsewhere.folder, 'gone'), join(world.folder, 'dangling'));
  for (const out of ['linked/new', 'linked/a/b', 'dangling', 'dangling/new']) {
    await imke.call('seal', { out });
    assert.equal((await ended()).problem?.code, 'seal-folder', out);
  }
  assert.deepEqual(await readdir(elsewhere.folder), ['kept.txt']);
  assert.ok((await readdir(world.folder)).includes('dorlin.yaml'), 'all is there');
  await elsewhere.remove();
});

test('of two at the same moment one runs; it is stopped, goes on, and tells what it came to', async () => {
  const order = { out: 'sealed' };
  const both = await Promise.all([imke.refused('seal', order), imke.refused('seal', order)]);
  assert.deepEqual(both.sort(), ['400 policy-busy', 'done']);
  await imke.call('seal.stop', {});
  const stopped = await ended();
  assert.equal(stopped.problem, undefined, 'to be stopped is no mistake');
  assert.equal(stopped.last, undefined);

  await imke.call('seal', order);
  const { last, changed, problem, links, isRunning } = await ended();
  assert.deepEqual([problem, isRunning, changed], [undefined, false, undefined]);
  assert.ok(last !== undefined, 'it is kept');
  assert.deepEqual([last.sealed, last.leaks, last.out], [41, [], 'sealed']);
  assert.deepEqual(
    last.passwords.map(({ label, isWeak }) => [label, isWeak]),
    [['All', false]],
  );
  assert.match(links[0]?.address ?? '', /^https:\/\/kestrelmoor\.example\/members\/#dorlin=members\./);
  const kept = await readFile(join(world.folder, '.dorlin/sealing-last.json'), 'utf8');
  assert.doesNotMatch(kept, /#dorlin=|CANARY/, 'no key lies there, nor words of a page');
  for (const file of await readdir(join(world.folder, 'sealed'), { recursive: true, withFileTypes: true })) {
    if (file.isFile()) assert.doesNotMatch(await readFile(join(file.parentPath, file.name), 'latin1'), /CANARY/);
  }
});

test('what has changed since is told: a file, the policy, the clock', async () => {
  const again = async () => {
    await imke.call('seal', { out: 'sealed' });
    return (await ended()).changed;
  };
  await writeFile(join(world.folder, 'dist/members/7.html'), 'another');
  assert.equal((await standing()).changed, 'files');
  assert.equal(await again(), undefined);
  // Put there with an older time, as a copy has it.
  await writeFile(join(world.folder, 'dist/late.html'), 'late');
  await utimes(join(world.folder, 'dist/late.html'), 1_000_000, 1_000_000);
  assert.equal((await standing()).changed, 'files');
  await again();

  await imke.call('lock.change', { lock: 'members', settings: { remember: '9 days' }, now: true });
  assert.equal((await standing()).changed, 'policy');
  assert.equal(await again(), undefined);
  // As if it had been sealed before the press lock ended.
  const file = join(world.folder, '.dorlin/sealing-last.json');
  const kept = JSON.parse(await readFile(file, 'utf8')) as object;
  await writeFile(file, JSON.stringify({ ...kept, at: '2026-05-01T12:00:00Z' }));
  assert.equal((await standing()).changed, 'time');
  const mark = join(world.folder, 'sealed/_dorlin/unfinished.txt');
  await writeFile(mark, 'begun');
  assert.equal((await standing()).changed, 'unfinished', 'it is not said to be whole');
  await writeFile(file, '{ half');
  assert.equal((await standing()).last, undefined, 'what cannot be read is as if it were not there');
});

test('a password that would not stand is refused until its owner insists', async () => {
  await imke.call('password.add', { lock: 'members', is: { typed: 'comet' }, label: 'Old', now: true });
  await imke.call('seal', { out: 'sealed' });
  assert.equal((await ended()).problem?.code, 'seal-weak');
  await imke.call('seal', { out: 'sealed', acceptWeak: true });
  const { problem, last } = await ended();
  assert.equal(problem, undefined);
  assert.deepEqual(last?.passwords.find(({ label }) => label === 'Old')?.isWeak, true);
});
