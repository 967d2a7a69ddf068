import assert from 'node:assert/strict';
import { walk } from '../support/walk.js';

/** The password changes each month, and last month's people are out; several locks are open at once. */
export default walk('monthly', ['index.html', 'members/index.html', 'members/a.html', 'press.html'], async (owner) => {
  const { dorlin, browser, wait } = owner;
  await dorlin('init', ['init', 'dist', '--language', 'en-IE']);
  await dorlin('lock', ['lock', 'members', '/members/', '--remember', '90 days']);
  const start = new Date().toISOString().slice(0, 10);
  const { passwords } = await dorlin('password plan', [
    'password',
    'plan',
    'members',
    '--every',
    '30 days',
    '--count',
    '3',
    '--overlap',
    '7d',
    '--from',
    start,
  ]);
  await dorlin('lock', ['lock', 'press', '/press', '--remember', '90 days']);
  const press = await dorlin('password add', ['password', 'add', 'press', '--generate']);
  const visitor = browser();
  await visitor.unlock('members', passwords[0]?.password ?? '', '/members/');
  await visitor.unlock('press', press.password, '/press');
  for (const page of ['/members', '/members/index.html', '/members/a', '/press']) {
    assert.equal((await visitor.visit(page)).status, 200, page);
  }
  assert.equal(
    decodeURIComponent(visitor.cookies.get('dorlin-open') ?? '')
      .split(/[\s.,]/)
      .sort()
      .join(),
    'members,press',
  );
  wait(32);
  assert.equal((await visitor.visit('/members/a')).status, 200, 'in the overlap');
  const next = browser();
  assert.equal((await next.unlock('members', passwords[1]?.password ?? '', '/members/')).status, 200);
  wait(6);
  assert.equal((await visitor.visit('/members/a')).status, 403, 'last month’s people are out');
  assert.equal((await visitor.visit('/press')).status, 200);
  assert.equal((await next.visit('/members/a')).status, 200);
});
