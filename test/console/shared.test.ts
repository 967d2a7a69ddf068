import assert from 'node:assert/strict';
import { mkdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { dropDraft } from '../../src/owner/drafts.js';
import { changeLock } from '../../src/owner/locks.js';
import { pull, push } from '../../src/owner/shared.js';
import { guardFromRedis, type RedisGuard } from '../../src/redis.js';
import { keepFresh } from '../../src/stores/redis/working-copy.js';
import { testConsole } from '../support/consoles.js';
import { testBrowser } from '../support/guards.js';
import { lacksProgram } from '../support/programs.js';
import { startRedis, type RunningRedis } from '../support/redis.js';
import { temporaryFolder, until } from '../support/sites.js';

const policy = `# Kept by hand.
dorlin: 1
site: { name: Kestrelmoor, id: shared, origin: https://kestrelmoor.example, folder: dist }
journal: { keep: 30 days }
`;

describe('the console of a site that many machines share', { skip: lacksProgram('redis-server') }, () => {
  let redis: RunningRedis;
  let remove: () => Promise<void>;
  let world: Awaited<ReturnType<typeof testConsole>>;
  let guard: RedisGuard;
  let other: string;
  let end: () => Promise<void>;
  const problems: string[] = [];
  before(async () => {
    const made = await temporaryFolder();
    remove = made.remove;
    redis = await startRedis(made.folder);
    process.env['DORLIN_REDIS'] = redis.url;
    world = await testConsole(policy, { 'events.html': '<title>Events</title>', 'about.html': '<title>About</title>' });
    await push(world.policyFile);
    other = join(made.folder, 'other/dorlin.yaml');
    await mkdir(join(made.folder, 'other'));
    await pull(other, undefined, 'shared');
    guard = await guardFromRedis(redis.client(), 'shared');
    end = await keepFresh(world.policyFile, (problem) => problems.push(problem));
  });
  after(async () => {
    await end();
    await guard.close();
    await world.close();
    delete process.env['DORLIN_REDIS'];
    await redis.close();
    await remove();
  });
  const visit = async (target: string) => (await testBrowser((one) => guard.answer(one)).get(target)).kind;

  test('what goes live there counts in every guard, what others change is seen there, and so is what happens', async () => {
    const imke = await world.person('Imke');
    const { password } = await imke.call('lock.change', {
      lock: 'events',
      places: ['/events'],
      password: { is: { words: 4 } },
    });
    assert.equal(await visit('/events'), 'open', 'a draft counts nowhere');
    await imke.call('live', {});
    await until(async () => (await visit('/events')) === 'answer');
    const browser = testBrowser((one) => guard.answer(one));
    await browser.unlock('events', password?.password ?? '');
    assert.equal((await browser.get('/events')).kind, 'let-in');
    assert.match(await readFile(world.policyFile, 'utf8'), /^# Kept by hand\./);

    await pull(other);
    await changeLock(other, 'about', { places: ['/about'], dynamic: true });
    const seenAt = async (path: string) =>
      (await imke.call('view', {})).places.find((one) => one.path === path)?.outcome;
    await until(async () => (await seenAt('/about.html')) === 'closed');
    await until(async () => (await imke.call('journal', {})).entries.some(({ type }) => type === 'unlocked'));
    assert.deepEqual(problems, []);
  });

  test('of two at once the second is refused with its mend, and nothing is lost', async () => {
    const imke = await world.person('Bran');
    await imke.call('lock.change', { lock: 'events', settings: { remember: '3 days' } });
    await end();
    await pull(other);
    await changeLock(other, 'events', { settings: { remember: '9 days' } });
    const before = await readFile(world.policyFile, 'utf8');
    assert.equal(await imke.refused('live', {}), '409 source-changed');
    assert.equal(await readFile(world.policyFile, 'utf8'), before);
    assert.notEqual((await imke.session()).draft, undefined, 'the draft waits');
    end = await keepFresh(world.policyFile, (problem) => problems.push(problem));
    await until(async () => (await readFile(world.policyFile, 'utf8')) === (await readFile(other, 'utf8')));
  });

  test('where the store is away, nothing goes live, and it is said', async () => {
    const imke = await world.person('Finn');
    await dropDraft(world.policyFile);
    await imke.call('lock.change', { lock: 'about', settings: { enabled: false } });
    await redis.kill();
    assert.equal(await imke.refused('live', {}), '503 store-away');
    assert.equal(await visit('/about'), 'answer');
    await redis.start();
    await until(async () => (await imke.refused('live', {})) === 'done');
    await until(async () => (await visit('/about')) === 'open');
  });
});
