import assert from 'node:assert/strict';
import { test } from 'node:test';
import { accessOfStranger } from '../../src/core/access.js';
import { addressReader, baseOf } from '../../src/sealer/base.js';
import { testPolicy } from '../support/policies.js';

const files = ['/index.html', '/open.html', '/members/index.html', '/members/log.html'];

test('an address within the folder of the site is what follows it, however it is spelled', () => {
  const read = addressReader(baseOf('/moor/west'), files);
  const within: Record<string, string> = {
    '/moor/west/members/log': '/members/log',
    '/Moor/%57est/members/log?a=/open#/b': '/members/log?a=/open#/b',
    '/moor/west': '/',
    '/moor/west?to=/open': '/?to=/open',
    '/moor/west//members/': '//members/',
    '/moor/west/..%2f': '/..%2f',
  };
  for (const [address, path] of Object.entries(within)) assert.deepEqual(read(address), [path], address);
});

test('outside of it, and where no folder is said, an address is all that its ends could be', () => {
  const west = addressReader('/moor/west/', files);
  assert.deepEqual(west('/moor/members/log?x'), ['/moor/members/log?x', '/members/log?x', '/log?x']);
  // No separator to who has said the folder, but to some hosts.
  assert.deepEqual(west('/moor%2fwest/members'), [
    '/moor%2fwest/members',
    '/moor/west/members',
    '/west/members',
    '/members',
  ]);
  assert.ok(west(`${'/x'.repeat(100)}/members/log`).includes('/members/log'));
  // However many parts there are, or however they are parted, none is left unlooked at.
  for (const many of ['/x', '%2fx', '%2Fx/x']) assert.deepEqual(west(`/a${many.repeat(20_000)}/members/`), ['/..']);
  const root = addressReader('/', files);
  assert.deepEqual(root('/west/members/'), ['/west/members/', '/members/', '/']);
  for (const known of ['/', '/?a', '/members/', '/members', '/members/index.html', '/Members/log.html#x', '/open'])
    assert.deepEqual(root(known), [known]);
});

test('what nobody is to be given is open to nobody', async () => {
  const policy = await testPolicy({ members: { covers: ['/members/'] } });
  const { open } = accessOfStranger(policy, addressReader('/', [])(`${'/x'.repeat(200)}/members/`)[0] ?? '', 0);
  assert.equal(open, false);
});
