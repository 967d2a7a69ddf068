import assert from 'node:assert/strict';
import { closeSync, openSync, writeSync } from 'node:fs';
import { mkdir, readdir, rm, utimes, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { setTimeout as wait } from 'node:timers/promises';
import { after, before, describe, test } from 'node:test';
import { siteFiles } from '../../src/server/site-files.js';
import { fileLinkUses, readLinkUses } from '../../src/stores/link-uses.js';
import { whileLocked } from '../../src/stores/lock-file.js';
import { isOwnFile } from '../../src/stores/own-files.js';
import { editPolicyFile, restMilliseconds } from '../../src/stores/policy-file.js';
import { testPolicy } from '../support/policies.js';
import { runSite, temporaryFolder, until, writeFiles } from '../support/sites.js';

let folder: string;
let remove: () => Promise<void>;
before(async () => {
  ({ folder, remove } = await temporaryFolder());
});
after(() => remove());

describe('a lock file', () => {
  /** The most that worked at once. */
  const crowd = async (file: string, count: number) => {
    let inside = 0;
    let most = 0;
    const work = async () => {
      most = Math.max(most, ++inside);
      await wait(2);
      inside--;
    };
    await Promise.all(Array.from({ length: count }, () => whileLocked(file, work)));
    return most;
  };
  test('lets one work at a time', async () => {
    assert.equal(await crowd(join(folder, 'a.lock'), 30), 1);
  });
  test('that was left by the dead is taken by one of those who wait', async () => {
    for (let round = 0; round < 10; round++) {
      const file = join(folder, `b${round}.lock`);
      // By a process of this very number, too, as there may be in a container.
      await writeFile(file, String(process.pid));
      const past = new Date(Date.now() - 60_000);
      await utimes(file, past, past);
      assert.equal(await crowd(file, 12), 1);
    }
    assert.deepEqual(
      (await readdir(folder)).filter((name) => name.includes('.lock')),
      [],
    );
  });
  test('that is gone under its holder ends no process', async () => {
    const file = join(folder, 'd.lock');
    await assert.rejects(
      whileLocked(file, async () => {
        await rm(file);
        // Longer than it takes to give a sign of life.
        await wait(2300);
      }),
      { code: 'policy-busy' },
    );
  });
  test('is not taken from somebody alive, and work that lost it is told so', async () => {
    const file = join(folder, 'c.lock');
    await assert.rejects(
      whileLocked(file, async () => {
        await rm(file);
        await writeFile(file, 'somebody else');
      }),
      { code: 'policy-busy' },
    );
    assert.deepEqual(
      (await readdir(folder)).filter((name) => name === 'c.lock'),
      ['c.lock'],
    );
  });
});

test('of many who come by a link with a few uses at once, so many get in', async () => {
  const file = join(folder, 'uses', 'dorlin.yaml');
  await mkdir(join(folder, 'uses'));
  const policy = await testPolicy({});
  const takers = Array.from({ length: 40 }, () => fileLinkUses(file).take('press/ab', 3, policy));
  assert.equal((await Promise.all(takers)).filter((got) => got).length, 3);
  assert.equal(await fileLinkUses(file).take('press/ab', 3, policy), false, 'nor after a restart');
  assert.equal(await fileLinkUses(file).take('press/ab', 2, policy), false, 'nor with fewer');
  assert.equal(await fileLinkUses(file).take('press/ab', 4, policy), true);
  assert.deepEqual(await readLinkUses(file), { 'press/ab': 4 });
});

test('a policy that is written in place gives nothing away meanwhile', async () => {
  const text = `dorlin: 1
site:
  name: x
locks:
  other:
    covers: [/other/]
  members:
    covers:
      - /about
      - /members/
`;
  const changes: number[] = [];
  const site = await runSite({ 'members/log.html': 'secret' }, text, {
    onChange: (_before, _after, opensAfter) => changes.push(opensAfter),
  });
  try {
    const state = { isWriting: true };
    const writer = (async () => {
      for (let times = 0; times < 2; times++) {
        const handle = openSync(site.policyFile, 'w');
        for (const line of text.split(/(?<=\n)/)) {
          writeSync(handle, line);
          await wait(110);
        }
        closeSync(handle);
      }
      state.isWriting = false;
    })();
    let asked = 0;
    while (state.isWriting) {
      assert.equal((await fetch(`${site.url}/members/log`)).status, 403);
      asked++;
      await wait(3);
    }
    await writer;
    assert.ok(asked > 100, `${asked}`);
    assert.ok(changes.some((seconds) => seconds === restMilliseconds / 1000));

    const status = async (path: string) => (await fetch(site.url + path)).status;
    // Half a policy, and then one that is broken, however long it lies: nothing opens.
    const told = changes.length;
    await writeFile(site.policyFile, text.slice(0, text.indexOf('  members:')));
    await until(() => changes.length > told);
    await writeFile(site.policyFile, `${text}nonsense: [`);
    await wait(restMilliseconds + 700);
    assert.equal((await fetch(`${site.url}/members/log`)).status, 403);
    await writeFile(site.policyFile, text);
    await wait(300);

    // By hand: what it closes counts soon, what it opens when the file has lain still.
    const start = Date.now();
    await writeFile(site.policyFile, text.replace('- /about\n      - /members/', '- /late'));
    await until(async () => (await status('/late')) === 403);
    const closedAfter = Date.now() - start;
    assert.equal(await status('/members/log'), 403);
    await until(async () => (await status('/members/log')) === 200);
    assert.ok(Date.now() - start >= restMilliseconds, `${Date.now() - start}`);
    assert.ok(closedAfter < Date.now() - start);
    // By a command: at once.
    changes.length = 0;
    await editPolicyFile(site.policyFile, (editor) => {
      editor.removePlace('members', 'covers', '/late');
    });
    await until(() => changes.length > 0);
    assert.deepEqual(changes, [0]);
    assert.notEqual(await status('/late'), 403);
  } finally {
    await site.close();
  }
});

test('what editors and commands leave beside files is never among a site’s', async () => {
  const kept = ['about.html', 'notes.txt', 'old.html', 'tmp/page.html', 'rules.yaml'];
  const left = [
    ...['dorlin.yaml', 'dorlin.yaml~', 'dorlin.yaml.123456', 'dorlin.draft.yaml', '#dorlin.yaml#'],
    ...['rules.yml', 'rules.yml~', 'rules.yml.3391', '#rules.yml#', '.#rules.yml', '.rules.yml.swp'],
    ...['about.html~', 'about.html.bak', 'page.tmp', 'x/.y.html.swp', 'x/#z.html#', 'a.orig'],
  ];
  const root = join(folder, 'scratch');
  await writeFiles(root, Object.fromEntries([...kept, ...left].map((name) => [name, 'x'])));
  const isOwn = isOwnFile(join(root, 'rules.yml'), await testPolicy({}));
  assert.deepEqual(
    (await siteFiles(root, isOwn)).map((path) => path.slice(1)),
    [...kept].sort(),
  );
});
