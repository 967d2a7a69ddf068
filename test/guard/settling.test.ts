import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import type { Policy } from '../../src/core/policy/types.js';
import { testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const one = { aa: 'one' };
const former = await testPolicy({
  members: { covers: ['/members/'], passwords: one },
  walk: { covers: ['/events#walk'], passwords: one },
});
const now = await testPolicy({
  press: { covers: ['/press/'], passwords: one },
  dinner: { covers: ['/events#dinner'], passwords: one },
});

describe('while a new policy settles, it and the one before it must both let in', () => {
  const during = async () => {
    let before: Policy | undefined = former;
    const world = await testGuard(now, { former: () => before });
    return { ...world, settle: () => (before = undefined) };
  };
  test('what the new one opens is shut until then, and what it closes is shut at once', async () => {
    const { browser, settle, events } = await during();
    const kinds = async () => {
      const asked = browser();
      return Promise.all(['/members/', '/press/', '/about'].map(async (path) => (await asked.get(path)).kind));
    };
    assert.deepEqual(await kinds(), ['answer', 'answer', 'open']);
    assert.equal(events.filter(({ type }) => type === 'asked').length, 2, 'told once each');
    settle();
    assert.deepEqual(await kinds(), ['open', 'answer', 'open']);
  });
  test('sections of both are cut', async () => {
    const { browser } = await during();
    const verdict = await browser().get('/events');
    assert.ok(verdict.kind === 'open' && verdict.page?.isCertain === true);
    const body = new TextEncoder().encode(
      '<!doctype html><title>t</title><p id="walk">here<p id="dinner">there<p>rest',
    );
    const page = await verdict.page.filter({ status: 200, contentType: 'text/html', body });
    assert.ok(page?.kind === 'changed');
    const text = new TextDecoder().decode(page.body);
    assert.doesNotMatch(text, /here/);
    assert.match(text, /rest/);
  });
  test('of one that has no locks, the other one’s sections are cut all the same', async () => {
    const none = await testPolicy({});
    for (const [policy, before] of [
      [none, former],
      [former, none],
    ] as const) {
      const { browser } = await testGuard(policy, { former: () => before });
      const verdict = await browser().get('/events');
      assert.equal(verdict.kind === 'open' && verdict.page?.isCertain, true);
    }
    const { browser } = await testGuard(none, { former: () => none });
    const verdict = await browser().get('/events');
    assert.equal(verdict.kind === 'open' && verdict.page === undefined, true);
  });
  test('a lock counts as opened where both say so', async () => {
    const { guard } = await during();
    const visit = { method: 'GET', target: '/', headers: {}, encrypted: false };
    assert.equal(await guard.opened(visit, 'press'), false);
    assert.throws(() => guard.opened(visit, 'members'), { code: 'lock-unknown' });
  });
});
