import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import fc from 'fast-check';
import independent from 'forwarded-parse';
import { isAddressRange, visitorAddress } from '../../src/core/bypass/address.js';
import { parseForwarded } from '../../src/core/bypass/forwarded.js';
import { answered, testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';

const proxies = ['127.0.0.1', '10.0.0.0/8', '2001:db8:ffff::/48'];

describe('whose address a visit has', () => {
  // connection, X-Forwarded-For, Forwarded → the visitor's address
  const table: [string, string, string | undefined, string | undefined, string | undefined][] = [
    ['nobody between', '192.0.2.7', undefined, undefined, '192.0.2.7'],
    ['a stranger who claims', '192.0.2.7', '203.0.113.9', 'for=203.0.113.9', '192.0.2.7'],
    ['a proxy that says nothing', '127.0.0.1', undefined, undefined, '127.0.0.1'],
    ['a proxy', '127.0.0.1', '203.0.113.9', undefined, '203.0.113.9'],
    ['a proxy, by the standard', '127.0.0.1', undefined, 'for=203.0.113.9', '203.0.113.9'],
    ['what the visitor wrote before it', '10.1.2.3', '203.0.113.9, 192.0.2.1', undefined, '192.0.2.1'],
    ['the same by the standard', '10.1.2.3', undefined, 'for=203.0.113.9, for=192.0.2.1', '192.0.2.1'],
    ['two proxies', '127.0.0.1', '192.0.2.1, 10.9.9.9', undefined, '192.0.2.1'],
    ['two proxies, by the standard', '127.0.0.1', undefined, 'for=192.0.2.1,for=10.9.9.9', '192.0.2.1'],
    ['proxies all the way', '127.0.0.1', '10.1.1.1, 10.9.9.9', undefined, '10.1.1.1'],
    ['v6 with a port', '127.0.0.1', undefined, 'for="[2001:db8:cafe::17]:4711"', '2001:db8:cafe::17'],
    ['v6 in the older header', '127.0.0.1', '2001:db8:cafe::17', undefined, '2001:db8:cafe::17'],
    ['v4 with a port', '127.0.0.1', '192.0.2.43:47011', undefined, '192.0.2.43'],
    ['v4 mapped into v6', '127.0.0.1', '::ffff:192.0.2.43', undefined, '192.0.2.43'],
    ['both headers, of one mind', '127.0.0.1', '192.0.2.1', 'for=192.0.2.1;proto=https', '192.0.2.1'],
    ['both headers, not so', '127.0.0.1', '192.0.2.1', 'for=203.0.113.9', undefined],
    ['a name', '127.0.0.1', undefined, 'for=_hidden', undefined],
    ['unknown', '127.0.0.1', 'unknown', undefined, undefined],
    ['nothing at all', '127.0.0.1', '', undefined, undefined],
    ['no `for`', '127.0.0.1', undefined, 'proto=https', undefined],
    ['told twice', '127.0.0.1', undefined, 'for=192.0.2.1;for=203.0.113.9', undefined],
    ['not as the standard says', '127.0.0.1', undefined, 'for=[2001:db8::1]', undefined],
    ['octal, to some', '127.0.0.1', '0300.0.2.1', undefined, undefined],
    ['three parts', '127.0.0.1', '203.0.113', undefined, undefined],
  ];
  for (const [name, connection, forwardedFor, forwarded, expected] of table) {
    test(name, () => {
      assert.equal(visitorAddress(connection, { forwardedFor, forwarded }, proxies), expected);
    });
  }
});

test('what is read of `Forwarded` is what an independent reader reads', () => {
  const token = fc.stringMatching(/^[a-zA-Z0-9._:[\]"\\ -]{0,12}$/);
  const pair = fc.tuple(fc.constantFrom('for', 'For', 'by', 'proto', 'host', 'x'), token, fc.boolean());
  const written = fc
    .array(fc.array(pair, { minLength: 1, maxLength: 3 }), { minLength: 1, maxLength: 3 })
    .map((hops) =>
      hops
        .map((hop) =>
          hop
            .map(([name, value, inQuotes]) =>
              inQuotes ? `${name}="${value.replace(/["\\]/g, '\\$&')}"` : `${name}=${value}`,
            )
            .join(';'),
        )
        .join(', '),
    );
  fc.assert(
    fc.property(written, (header) => {
      const ours = parseForwarded(header);
      let theirs: ReturnType<typeof independent> | undefined;
      try {
        theirs = independent(header.trim());
      } catch {
        theirs = undefined;
      }
      // We refuse more: a question that is answered twice. We never read anything else.
      if (ours === undefined) return;
      assert.ok(theirs !== undefined, header);
      assert.deepEqual(
        ours,
        theirs.map((hop) => ({ for: hop['for'], proto: hop['proto'], host: hop['host'] })),
      );
    }),
    { numRuns: 2000 },
  );
});

test('ranges are written in full', () => {
  for (const text of ['10.0.0.0/8', '192.0.2.1', '::1', '2001:db8::/32']) {
    assert.ok(isAddressRange(text), text);
  }
  for (const text of ['10', '10.1', '010.0.0.1', '1.2.3.4/33', '::1/129', '1.2.3.4/8/8', 'mine']) {
    assert.ok(!isAddressRange(text), text);
  }
});

describe('a visitor may ask for the own address', async () => {
  const site = { trustedProxies: proxies };
  const telling = await testPolicy({}, { ...site, showAddress: true });
  const silent = await testPolicy({}, site);
  const ask = async (policy: typeof telling, headers = {}, address = '127.0.0.1') => {
    const { browser } = await testGuard(policy);
    return answered(await browser().send({ target: '/_dorlin/address', headers, address }));
  };
  test('in plain text or JSON, never stored', async () => {
    const plain = await ask(telling, { forwarded: 'for=192.0.2.9' });
    assert.equal(plain.body, '192.0.2.9\n');
    assert.equal(plain.headers['cache-control'], 'no-store');
    const json = await ask(telling, { accept: 'application/json', 'x-forwarded-for': '192.0.2.9' });
    assert.deepEqual(JSON.parse(json.body), { address: '192.0.2.9' });
    assert.equal((await ask(telling, { 'x-forwarded-for': '192.0.2.9' }, '192.0.2.1')).body, '192.0.2.1\n');
  });
  test('but not where the policy does not say so', async () => {
    assert.equal((await ask(silent)).status, 404);
  });
});

test('the visitor’s scheme is believed of trusted proxies that do not differ', async () => {
  const policy = await testPolicy({ a: { covers: ['/a'], passwords: { aa: 'one' } } }, { trustedProxies: proxies });
  const cookieName = async (address: string, headers: Record<string, string>) => {
    const { browser } = await testGuard(policy);
    const answer = await browser().send({
      target: '/_dorlin/unlock',
      method: 'POST',
      address,
      headers: { 'content-type': 'application/x-www-form-urlencoded', ...headers },
      readBody: () => Promise.resolve('lock=a&password=one'),
    });
    return String(answered(answer).headers['set-cookie']?.[0]).split('=')[0];
  };
  assert.equal(await cookieName('127.0.0.1', { forwarded: 'for=192.0.2.1;proto=https' }), '__Host-dorlin');
  assert.equal(await cookieName('192.0.2.1', { forwarded: 'proto=https' }), 'dorlin');
  assert.equal(await cookieName('127.0.0.1', { forwarded: 'proto=https', 'x-forwarded-proto': 'http' }), 'dorlin');
});
