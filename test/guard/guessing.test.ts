import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { parseBudget, visitorKey } from '../../src/core/guessing/budget.js';
import { hashingQueue } from '../../src/stores/hashing-queue.js';
import { refusalDelay } from '../../src/stores/refusal-delay.js';
import { answered, testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const locks = {
  members: { covers: ['/members/'], passwords: { aa: 'one' } },
  press: { covers: ['/press/'], passwords: { pp: 'ink' } },
};
const policy = await testPolicy(locks, {
  languages: ['en', 'de'],
  trustedProxies: ['198.51.100.1'],
});

type World = Awaited<ReturnType<typeof testGuard>>;

/** One try from an address, by a browser of its own unless one is given. */
async function tried(
  world: World,
  address: string,
  password: string,
  { lock = 'members', browser = world.browser(), headers = {} } = {},
) {
  const body = new URLSearchParams({ lock, password, to: `/${lock}/` }).toString();
  return answered(
    await browser.send({
      target: '/_dorlin/unlock',
      method: 'POST',
      address,
      headers: { 'content-type': 'application/x-www-form-urlencoded', ...headers },
      readBody: () => Promise.resolve(body),
    }),
  );
}

test('a budget is a number and a span', () => {
  assert.deepEqual(parseBudget('10 per 15 minutes'), { tries: 10, seconds: 900 });
  assert.deepEqual(parseBudget('100 per hour'), { tries: 100, seconds: 3600 });
  for (const wrong of ['10', '0 per hour', 'ten per hour', '10 per', '10 per fortnight', '10 per 15', '-1 per hour']) {
    assert.equal(parseBudget(wrong), undefined, wrong);
  }
});

test('one visitor is one IPv4 address, or 64 bits of an IPv6 one', () => {
  assert.equal(visitorKey('192.0.2.7'), visitorKey('::ffff:192.0.2.7'));
  assert.equal(visitorKey('2001:db8:1:2::3'), visitorKey('2001:db8:1:2:ffff::9'));
  assert.notEqual(visitorKey('2001:db8:1:2::3'), visitorKey('2001:db8:1:3::3'));
  assert.equal(visitorKey('nonsense'), visitorKey(undefined));
});

describe('guesses are counted', () => {
  test('of 1,000 at the same moment from one address, not one beyond the budget is hashed', async () => {
    const world = await testGuard(policy);
    const answers = await Promise.all(
      Array.from({ length: 1000 }, (_, at) => tried(world, '192.0.2.7', `guess ${at}`)),
    );
    assert.equal(answers.filter(({ status }) => status === 403).length, 10);
    assert.equal(answers.filter(({ status }) => status === 429).length, 990);
    assert.equal(world.events.filter(({ type }) => type === 'wrong').length, 10);
    const late = await tried(world, '192.0.2.7', 'one');
    assert.equal(late.status, 429, 'the right one is not tried either');
    const seconds = Number(late.headers['retry-after']);
    assert.ok(seconds > 880 && seconds <= 900, String(seconds));
    assert.match(late.body, /Please wait 15 minutes, then try again/);
    assert.equal((await tried(world, '192.0.2.8', 'one')).status, 303, 'a neighbour is not in the way');
    assert.equal((await tried(world, '192.0.2.7', 'ink', { lock: 'press' })).status, 303, 'nor is another lock');
  });
  test('of 1,000 from as many addresses, no more than the lock allows', async () => {
    const world = await testGuard(policy);
    const answers = await Promise.all(
      Array.from({ length: 1000 }, (_, at) => tried(world, `2001:db8:${at.toString(16)}::1`, 'guess')),
    );
    assert.equal(answers.filter(({ status }) => status === 403).length, 100);
    assert.equal(answers.filter(({ status }) => status === 429).length, 900);
  });
  test('what is said of the address is believed from trusted proxies alone', async () => {
    const world = await testGuard(policy);
    for (let at = 0; at < 12; at++) {
      const { status } = await tried(world, '203.0.113.9', 'guess', {
        headers: { 'x-forwarded-for': `192.0.2.${at}` },
      });
      assert.equal(status, at < 10 ? 403 : 429);
    }
    for (let at = 0; at < 12; at++) {
      const { status } = await tried(world, '198.51.100.1', 'guess', {
        headers: { 'x-forwarded-for': `192.0.2.${at}` },
      });
      assert.equal(status, 403);
    }
  });
  test('right ones do not count, however many', async () => {
    const world = await testGuard(policy);
    for (let at = 0; at < 150; at++) assert.equal((await tried(world, '192.0.2.7', 'one')).status, 303);
  });
  test('nor do they count at another lock of the same place, which they do not open', async () => {
    const twins = await testGuard(
      await testPolicy({
        left: { covers: ['/twin/'], passwords: { ll: 'left' } },
        right: { covers: ['/twin/'], passwords: { rr: 'right' } },
      }),
    );
    const body = (password: string) => new URLSearchParams({ lock: 'left', password, to: '/twin/' });
    const headers = { 'content-type': 'application/x-www-form-urlencoded' };
    const unlock = async (password: string) =>
      answered(
        await twins.browser().send({
          target: '/_dorlin/unlock',
          method: 'POST',
          headers,
          readBody: () => Promise.resolve(body(password).toString()),
        }),
      ).status;
    for (let at = 0; at < 30; at++) assert.equal(await unlock('right'), 303);
    for (let at = 0; at < 10; at++) assert.equal(await unlock('guess'), 403);
    assert.equal(await unlock('right'), 429);
  });
  test('a browser known at the lock is not kept out by strangers', async () => {
    const world = await testGuard(policy);
    const [known, elsewhere] = [world.browser(), world.browser()];
    await tried(world, '192.0.2.7', 'one', { browser: known });
    await tried(world, '192.0.2.7', 'ink', { lock: 'press', browser: elsewhere });
    await Promise.all(Array.from({ length: 300 }, (_, at) => tried(world, `2001:db8:${at.toString(16)}::1`, 'guess')));
    assert.equal((await tried(world, '192.0.2.7', 'one')).status, 429, 'a stranger waits');
    assert.equal(
      (await tried(world, '192.0.2.7', 'one', { browser: elsewhere })).status,
      429,
      'so does one known at another lock',
    );
    assert.equal((await tried(world, '192.0.2.7', 'one', { browser: known })).status, 303);
    for (let at = 0; at < 10; at++) await tried(world, '192.0.2.7', 'guess', { browser: known });
    assert.equal((await tried(world, '192.0.2.7', 'one', { browser: known })).status, 429, 'its own budget has an end');
    known.cookies.set('dorlin-known', { value: 'forged.by.hand', lasts: true });
    assert.equal((await tried(world, '192.0.2.7', 'one', { browser: known })).status, 429);
  });
  test('as JSON and in another language', async () => {
    const strict = await testGuard({
      ...policy,
      guessing: { perVisitor: { tries: 1, seconds: 60 }, perLock: { tries: 5, seconds: 60 } },
    });
    await tried(strict, '192.0.2.7', 'guess');
    const { status, body } = await tried(strict, '192.0.2.7', 'guess', {
      headers: { accept: 'application/json' },
    });
    assert.equal(status, 429);
    assert.equal((JSON.parse(body) as { state: string }).state, 'wait');
    const german = await tried(strict, '192.0.2.7', 'guess', {
      headers: { 'accept-language': 'de' },
    });
    assert.match(german.body, /bitte warten Sie (60|5\d) Sekunden/i);
    assert.deepEqual(
      strict.events.map(({ type }) => type),
      ['wrong', 'waiting', 'waiting'],
    );
  });
});

test('more than can be hashed are asked to come back, and were no tries', async () => {
  const release: (() => void)[] = [];
  const slow = hashingQueue(
    2,
    3,
  )(
    () =>
      new Promise<Uint8Array>((resolve) =>
        release.push(() => {
          resolve(new Uint8Array(32));
        }),
      ),
  );
  const world = await testGuard(
    { ...policy, guessing: { ...policy.guessing, perVisitor: { tries: 6, seconds: 60 } } },
    { hasher: slow },
  );
  const tries = Array.from({ length: 6 }, () => tried(world, '192.0.2.7', 'guess'));
  const busy = await Promise.race(tries);
  assert.equal(busy.status, 503);
  assert.equal(busy.headers['retry-after'], '5');
  // What is free again lets the waiting ones through, and the one turned away may try once more.
  const letGo = setInterval(() => {
    for (const go of release.splice(0)) go();
  }, 1);
  const statuses = (await Promise.all(tries)).map(({ status }) => status);
  assert.deepEqual(statuses.sort(), [403, 403, 403, 403, 403, 503]);
  assert.equal((await tried(world, '192.0.2.7', 'guess')).status, 403);
  assert.equal((await tried(world, '192.0.2.7', 'guess')).status, 429);
  clearInterval(letGo);
});

test('who may not try waits for the answer, but only so many at once', async () => {
  const delay = refusalDelay(60, 2);
  const world = await testGuard(
    { ...policy, guessing: { ...policy.guessing, perVisitor: { tries: 1, seconds: 60 } } },
    { refusalDelay: delay },
  );
  assert.equal((await tried(world, '192.0.2.7', 'guess')).status, 403);
  const order: number[] = [];
  const late = [1, 2, 3].map(async (number) => {
    assert.equal((await tried(world, '192.0.2.7', 'guess')).status, 429);
    order.push(number);
  });
  await Promise.all(late);
  assert.equal(order[0], 3, 'the third found two waiting, and was told at once');
});

describe('marks of known browsers', () => {
  const farmed = async (world: World, count: number) => {
    const browsers = [];
    for (let at = 0; at < count; at++) {
      const browser = world.browser();
      await tried(world, `192.0.2.${at}`, 'one', { browser });
      browsers.push(browser);
    }
    return browsers;
  };
  test('are no way to more tries than strangers have, however many there are', async () => {
    const world = await testGuard(policy);
    const browsers = await farmed(world, 20);
    let hashed = 0;
    for (const browser of browsers) {
      for (let times = 0; times < 9; times++) {
        const { status } = await tried(world, '192.0.2.9', 'guess', { browser });
        if (status === 403) hashed++;
      }
    }
    assert.equal(hashed, 100, 'the budget of the lock');
  });
  test('end with the password that they were given for', async () => {
    const world = await testGuard(policy);
    const [browser] = await farmed(world, 1);
    for (let times = 0; times < 11; times++) await tried(world, '198.51.100.9', 'guess');
    const status = async () => (await tried(world, '198.51.100.9', 'guess', { browser: browser! })).status;
    assert.equal(await status(), 403, 'known, so with tries of its own');
    world.policy = await testPolicy({
      members: { covers: ['/members/'], passwords: { bb: 'two' } },
    });
    assert.equal(await status(), 429, 'a stranger like others');
  });
});

test('so many wrong passwords lead to another page, by visitor and lock, whatever else is counted', async () => {
  const wrong = { after: 3, redirect: '/join' };
  const sending = await testPolicy({ members: { ...locks.members, wrong }, press: locks.press });
  const world = await testGuard(sending);
  const at = async (address: string, password: string, more = {}) => {
    const { status, headers } = await tried(world, address, password, more);
    return [status, headers['location'] ?? ''].join(' ');
  };
  assert.equal(await at('192.0.2.7', 'a'), '403 ');
  assert.equal(await at('192.0.2.7', 'b'), '403 ');
  assert.equal(await at('192.0.2.7', 'c'), '303 /join');
  assert.equal(await at('192.0.2.7', 'd'), '303 /join');
  assert.equal(await at('192.0.2.8', 'a'), '403 ');
  assert.equal(await at('192.0.2.7', 'a', { lock: 'press' }), '403 ');
  const json = await tried(world, '192.0.2.7', 'e', { headers: { accept: 'application/json' } });
  assert.equal(json.status, 403);
  assert.equal((JSON.parse(json.body) as { to: string }).to, '/join');
  assert.equal(await at('192.0.2.7', 'one'), '303 /members/');
  await assert.rejects(
    testPolicy({ members: { ...locks.members, wrong: { after: 3, redirect: '/members/x' } } }),
    /locked itself/,
  );
  const once = await testGuard(
    await testPolicy({ members: { ...locks.members, wrong: { after: 1, redirect: '/join' } } }),
  );
  assert.equal((await tried(once, '192.0.2.9', 'a')).status, 303);
});
