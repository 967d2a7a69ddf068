import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { entryToken } from '../../src/core/passes/entry-link.js';
import { deriveKeys } from '../../src/core/passes/keys.js';
import type { Policy } from '../../src/core/policy/types.js';
import { answered, testGuard, testSecret } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const links = [
  { id: 'herald', label: 'Herald desk', until: '2030-01-01', to: '/press/comet' },
  { id: 'thrice', label: 'Three people', until: '2030-01-01', uses: 3 },
  { id: 'later', label: 'Not yet', from: '2029-01-01', until: '2030-01-01' },
  { id: 'over', label: 'Over', until: '2026-01-01' },
];
const locks = {
  press: { covers: ['/press/'], passwords: { pp: 'ink' }, links },
  linked: {
    covers: ['/linked/'],
    links: [{ id: 'only', label: 'Only way in', until: '2030-01-01' }],
    after: '/linked/welcome',
    remember: '30 days',
  },
};
const policy = await testPolicy(locks, { languages: ['en', 'fr'] });

async function addressOf(
  lockName: string,
  id: string,
  from: Policy = policy,
  secret: string = testSecret,
): Promise<string> {
  const lock = from.locks.get(lockName);
  const link = lock?.links.find((one) => one.id === id);
  assert.ok(lock && link);
  const token = await entryToken(lock, link, from, await deriveKeys(secret));
  return `/_dorlin/enter?link=${token}`;
}

describe('an entry link', () => {
  test('opens its lock, lands on its place, and leaves its token behind', async () => {
    const { browser, events } = await testGuard(policy);
    const guest = browser();
    const address = await addressOf('press', 'herald');
    const entered = answered(await guest.get(address));
    assert.equal(entered.status, 303);
    assert.equal(entered.headers['location'], '/press/comet');
    assert.equal(entered.headers['referrer-policy'], 'no-referrer');
    assert.equal(entered.headers['cache-control'], 'no-store');
    assert.equal((await guest.get('/press/comet')).kind, 'let-in');
    assert.equal((await guest.get('/press/other')).kind, 'let-in');
    assert.equal((await guest.get('/linked/')).kind, 'answer');
    assert.deepEqual(events[0], {
      type: 'entered',
      lock: 'press',
      opener: events[0]?.type === 'entered' ? events[0].opener : '',
      label: 'Herald desk',
      address: '192.0.2.0/24',
    });
    assert.ok(!JSON.stringify(events).includes(address.slice(-40)));
    guest.reopen();
    assert.equal((await guest.get('/press/comet')).kind, 'answer', 'press is for one visit');
  });

  test('may be the only way in, lasts as the lock says, and lands where the lock says', async () => {
    const { browser } = await testGuard(policy);
    const guest = browser();
    const entered = answered(await guest.get(await addressOf('linked', 'only')));
    assert.equal(entered.headers['location'], '/linked/welcome');
    guest.reopen();
    assert.equal((await guest.get('/linked/')).kind, 'let-in');
    assert.match(answered(await browser().get('/linked/')).body, /This page is closed/);
  });

  test('is the same one each time it is asked for', async () => {
    assert.equal(await addressOf('press', 'herald'), await addressOf('press', 'herald'));
  });
});

describe('a link with counted uses', () => {
  test('shows one button, and is used by nobody who only looks', async () => {
    const { browser } = await testGuard(policy);
    const address = await addressOf('press', 'thrice');
    for (const method of ['GET', 'HEAD', 'GET', 'GET', 'GET']) {
      const shown = answered(await browser().send({ target: address, method }));
      assert.equal(shown.status, 200);
      assert.equal(shown.headers['set-cookie'], undefined);
      assert.equal(shown.headers['referrer-policy'], 'no-referrer');
      assert.match(shown.body, /<form method="post" action="\/_dorlin\/enter">/);
      assert.doesNotMatch(shown.body, /<script/);
    }
    const link = address.slice(address.indexOf('=') + 1);
    const guests = Array.from({ length: 12 }, browser);
    const answers = await Promise.all(
      guests.map(async (guest) => answered(await guest.post('/_dorlin/enter', { link }))),
    );
    assert.equal(answers.filter(({ status }) => status === 303).length, 3);
    assert.equal(answers.filter(({ status }) => status === 403).length, 9);
  });

  test('a browser that is in by it uses up no second one', async () => {
    const { browser } = await testGuard(policy);
    const address = await addressOf('press', 'thrice');
    const link = address.slice(address.indexOf('=') + 1);
    const guest = browser();
    for (let visit = 0; visit < 6; visit++) {
      assert.equal(answered(await guest.post('/_dorlin/enter', { link })).status, 303);
      assert.equal(answered(await guest.get(address)).status, 303);
    }
    for (const expected of [303, 303, 403]) {
      assert.equal(answered(await browser().post('/_dorlin/enter', { link })).status, expected);
    }
  });

  test('lets nobody in when its uses cannot be counted', async () => {
    const { browser } = await testGuard(policy, {
      linkUses: { take: () => Promise.reject(new Error('the disk is full')) },
    });
    const link = (await addressOf('press', 'thrice')).split('=')[1] ?? '';
    const answer = answered(await browser().post('/_dorlin/enter', { link }));
    assert.equal(answer.status, 500);
    assert.equal(answer.headers['set-cookie'], undefined);
  });
});

describe('what a link cannot do is told alike, and opens nothing', async () => {
  const elsewhere = await testPolicy(locks, { origin: 'https://elsewhere.example' });
  const herald = await addressOf('press', 'herald');
  const cases: [string, string][] = [
    ['no token', '/_dorlin/enter'],
    ['an empty one', '/_dorlin/enter?link='],
    ['nonsense', '/_dorlin/enter?link=open-sesame'],
    ['one cut short', herald.slice(0, -1)],
    ['one for another link', herald.replace('herald', 'thrice')],
    ['one for another lock', herald.replace('press', 'linked')],
    ['one with more behind it', `${herald}A`],
    ['one of another secret', await addressOf('press', 'herald', policy, `not ${testSecret}`)],
    ['one of another site', await addressOf('press', 'herald', elsewhere)],
    ['one that does not count yet', await addressOf('press', 'later')],
    ['one that is over', await addressOf('press', 'over')],
    ['a very long one', `/_dorlin/enter?link=${'a'.repeat(5000)}`],
  ];
  for (const [name, target] of cases) {
    test(name, async () => {
      const { browser } = await testGuard(policy);
      const plain = answered(await browser().get('/_dorlin/enter?link=x'));
      const answer = answered(await browser().get(target));
      assert.equal(answer.status, 403);
      assert.equal(answer.headers['set-cookie'], undefined);
      assert.equal(answer.body, plain.body);
      assert.deepEqual(answer.headers, plain.headers);
    });
  }

  test('a pass or a cookie of another kind is no link', async () => {
    const { browser } = await testGuard(policy);
    const guest = browser();
    await guest.unlock('press', 'ink');
    for (const { value } of guest.cookies.values()) {
      const answer = answered(await browser().get(`/_dorlin/enter?link=${value}`));
      assert.equal(answer.status, 403);
    }
  });

  test('a revoked one, and every pass it gave', async () => {
    const world = await testGuard(policy);
    const [guest, other] = [world.browser(), world.browser()];
    const address = await addressOf('press', 'herald');
    await guest.get(address);
    await other.unlock('press', 'ink');
    const press = { ...locks.press, links: links.filter(({ id }) => id !== 'herald') };
    world.policy = await testPolicy({ ...locks, press });
    assert.equal((await guest.get('/press/comet')).kind, 'answer');
    assert.equal((await other.get('/press/comet')).kind, 'let-in');
    assert.equal(answered(await world.browser().get(address)).status, 403);
  });

  test('its passes end with it', async () => {
    const world = await testGuard(policy);
    const guest = world.browser();
    world.now = Date.UTC(2029, 11, 31, 23, 59, 59) / 1000;
    await guest.get(await addressOf('press', 'herald'));
    assert.equal((await guest.get('/press/comet')).kind, 'let-in');
    world.now += 1;
    assert.equal((await guest.get('/press/comet')).kind, 'answer');
  });
});

test('where the lock is off, a link leads to its place and gives nothing', async () => {
  const world = await testGuard(await testPolicy({ ...locks, press: { ...locks.press, enabled: false } }));
  const entered = answered(await world.browser().get(await addressOf('press', 'thrice')));
  assert.equal(entered.status, 303);
  assert.equal(entered.headers['location'], '/press/');
  assert.equal(entered.headers['set-cookie'], undefined);
});

test('a password lands where the lock says, in a form and in JSON', async () => {
  const landing = await testPolicy({
    a: { covers: ['/a/'], passwords: { aa: 'one' }, after: '/a/welcome' },
  });
  const { browser } = await testGuard(landing);
  const unlocked = answered(await browser().unlock('a', 'one', '/a/deep'));
  assert.equal(unlocked.headers['location'], '/a/welcome');
  const json = answered(
    await browser().post(
      '/_dorlin/unlock',
      { lock: 'a', password: 'one', to: '/a/deep' },
      { accept: 'application/json' },
    ),
  );
  assert.equal((JSON.parse(json.body) as { to: string }).to, '/a/welcome');
});
