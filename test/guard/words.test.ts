import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { DorlinError } from '../../src/core/errors.js';
import { pageKind } from '../../src/core/sections/media-type.js';
import { safeTarget, shownPath } from '../../src/guard/visit/target.js';
import { answered, testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

test('where forms may lead: a path of this site, and no more of it than a browser sends', () => {
  const long = `/${'a'.repeat(4095)}`;
  for (const to of ['/', '/a', '/a?b=/c#d', long]) assert.equal(safeTarget(to), to);
  const elsewhere = [undefined, '', 'a', '//b', '/\\b', '/a\\b', 'http://b', '/a b', '/é', '/a\n', `${long}a`];
  for (const to of elsewhere) assert.equal(safeTarget(to), undefined, String(to));
});

test('owners are shown the path, without what may be a secret, and as much as fits a line', () => {
  const path = `/${'a'.repeat(119)}`;
  for (const [target, shown] of [
    ['/a/b?link=secret', '/a/b'],
    ['/a#secret?b', '/a'],
    [path, path],
    [`${path}b`, `${path.slice(0, 119)}…`],
  ] as const)
    assert.equal(shownPath(target), shown);
});

test('a type is what stands before its parameters, with spaces or without', () => {
  assert.equal(pageKind('text/xml ;charset=utf-8'), 'xml');
  assert.equal(pageKind(' image/svg+xml'), 'xml');
  assert.equal(pageKind('text/html;charset=utf-8'), 'html');
  assert.equal(pageKind('application/json ;x'), undefined);
});

describe('what a script is answered', () => {
  const json = { accept: 'application/json', 'content-type': 'application/json' };
  const policyOf = () =>
    testPolicy(
      { a: { covers: ['/a/'], passwords: { aa: 'one' }, basic: true } },
      {},
      { guessing: { perVisitor: '1 per hour' } },
    );
  const sent = (body: string) => ({
    target: '/_dorlin/unlock',
    method: 'POST',
    headers: json,
    readBody: () => Promise.resolve(body),
  });
  test('to what is no form: that nothing was opened', async () => {
    const { browser } = await testGuard(await policyOf());
    for (const body of [
      'null',
      '7',
      '"lock"',
      '[]',
      '{',
      '{"lock":null}',
      '{"lock":["a"],"password":"one"}',
      '{"lock":"a","password":7}',
    ]) {
      const answer = answered(await browser().send(sent(body)));
      assert.equal([200, 403, 429].includes(answer.status), true, body);
      assert.equal(answer.headers['set-cookie'], undefined, body);
    }
  });
  test('to too many tries: how long to wait, in JSON', async () => {
    const { browser } = await testGuard(await policyOf());
    const wrong = sent('{"lock":"a","password":"two"}');
    assert.equal(answered(await browser().send(wrong)).status, 403);
    const answer = answered(await browser().send(wrong));
    assert.equal(answer.status, 429);
    const { state, waitSeconds } = JSON.parse(answer.body) as Record<string, unknown>;
    assert.deepEqual([state, typeof waitSeconds], ['wait', 'number']);
  });
  test('to an error that is none of being busy: that it is one', async () => {
    const hasher = () => Promise.reject(new DorlinError('policy-missing', 'of another kind'));
    const { browser } = await testGuard(await policyOf(), { hasher });
    assert.equal(answered(await browser().send(sent('{"lock":"a","password":"one"}'))).status, 500);
  });
});
