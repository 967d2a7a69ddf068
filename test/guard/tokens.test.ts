import assert from 'node:assert/strict';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { after, before, describe, test } from 'node:test';
import { exportJWK, generateKeyPair, SignJWT, UnsecuredJWT } from 'jose';
import { startSimulatedSignIn, type SimulatedSignIn } from '../../src/demo/simulated-sign-in.js';
import { tokenKeysFrom } from '../../src/stores/token-keys.js';
import { testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';
import { temporaryFolder } from '../support/sites.js';

const halla = {
  email: 'halla@kestrelmoor.example',
  name: 'Halla',
  roles: ['trustee'],
  about: 'A trustee',
};
const audience = 'https://kestrelmoor.example';
const now = () => Math.floor(Date.now() / 1000);

const locks = {
  trustees: { covers: ['/trustees/'], bypass: ['trustee'] },
  hers: { covers: ['/hers/'], bypass: ['halla'] },
  anyone: { covers: ['/anyone/'], bypass: ['anyone'] },
};
const bypasses = {
  trustee: { roles: ['trustee'] },
  halla: { people: [halla.email] },
  anyone: { signedIn: true },
};

describe('who somebody is, by a signed token', () => {
  let provider: SimulatedSignIn;
  before(async () => {
    provider = await startSimulatedSignIn({
      people: [halla],
      audience,
      siteName: 'Test',
      home: () => '/',
    });
  });
  after(() => provider.close());

  const rules = () => ({
    cookie: 'session',
    bearer: true,
    jwks: `${provider.issuer}/jwks.json`,
    issuer: provider.issuer,
    audience,
    person: 'email',
  });
  const world = async (jwt: Record<string, unknown> = rules(), folder = '.') => {
    const policy = await testPolicy(locks, {}, { bypasses, identity: { jwt } });
    return testGuard(policy, { clock: now, tokenKeys: tokenKeysFrom(folder) });
  };
  const isIn = async (
    { browser }: Awaited<ReturnType<typeof world>>,
    headers: Record<string, string>,
    target = '/trustees/',
  ) => (await browser().get(target, headers)).kind === 'let-in';

  test('in a cookie or as a bearer: role, person, being signed in', async () => {
    const site = await world();
    const token = await provider.token(halla);
    for (const target of ['/trustees/', '/hers/', '/anyone/']) {
      assert.ok(await isIn(site, { cookie: `a=b; session=${token}` }, target), target);
      assert.ok(await isIn(site, { authorization: `Bearer ${token}` }, target), target);
      assert.ok(!(await isIn(site, {}, target)), target);
      assert.ok(!(await isIn(site, { cookie: `other=${token}` }, target)), target);
    }
    assert.equal(provider.fetches(), 1, 'the keys are fetched once');
  });

  test('nobody is known by a token that leaves any doubt', async () => {
    const site = await world();
    const good = await provider.token(halla);
    const [head = '', body = '', signature = ''] = good.split('.');
    const stranger = await generateKeyPair('ES256');
    const claims = { email: halla.email, roles: ['trustee'], iss: provider.issuer, aud: audience };
    const shared = new TextEncoder().encode(JSON.stringify(await exportJWK(stranger.publicKey)));
    const kid = (JSON.parse(Buffer.from(head, 'base64url').toString()) as { kid: string }).kid;
    const other = (payload: object) => Buffer.from(JSON.stringify(payload)).toString('base64url');
    const doubtful: Record<string, string> = {
      'another issuer': await provider.token(halla, { iss: 'https://elsewhere.example' }),
      'another audience': await provider.token(halla, { aud: 'https://elsewhere.example' }),
      'no audience': await provider.token(halla, { aud: undefined }),
      'no expiry': await provider.token(halla, { exp: undefined }),
      'past its expiry': await provider.token(halla, { exp: now() - 60 }),
      'not yet': await provider.token(halla, { nbf: now() + 600 }),
      'no signature': `${head}.${body}.`,
      'a changed body': `${head}.${other({ ...claims, exp: now() + 60 })}.${signature}`,
      'a stranger’s key': await new SignJWT({ ...claims, exp: now() + 60 })
        .setProtectedHeader({ alg: 'ES256', kid })
        .sign(stranger.privateKey),
      'a key it names itself': await new SignJWT({ ...claims, exp: now() + 60 })
        .setProtectedHeader({ alg: 'ES256', jwk: await exportJWK(stranger.publicKey) })
        .sign(stranger.privateKey),
      'a shared secret': await new SignJWT({ ...claims, exp: now() + 60 })
        .setProtectedHeader({ alg: 'HS256', kid })
        .sign(shared),
      'a key that there is not': await new SignJWT({ ...claims, exp: now() + 60 })
        .setProtectedHeader({ alg: 'ES256', kid: 'another' })
        .sign(stranger.privateKey),
      unsecured: new UnsecuredJWT(claims).setExpirationTime('1h').encode(),
      nonsense: 'a.b.c',
      'far too long': await provider.token(halla, { about: 'a'.repeat(9000) }),
    };
    assert.ok(await isIn(site, { cookie: `session=${good}` }));
    for (const [name, token] of Object.entries(doubtful)) {
      assert.ok(!(await isIn(site, { cookie: `session=${token}` })), name);
    }
    assert.deepEqual(
      site.events.filter(({ type }) => type === 'failed'),
      [],
    );
  });

  test('a token is signed as the policy says, and may be as long as proxies let it be', async () => {
    const by = async (algorithms: string[], token: string) =>
      isIn(await world({ ...rules(), algorithms }), { cookie: `session=${token}` });
    const token = await provider.token(halla);
    assert.equal(await by(['ES256'], token), true);
    assert.equal(await by(['RS256', 'ES256'], token), true);
    assert.equal(await by(['RS256'], token), false);
    assert.equal(await by(['ES256'], await provider.token(halla, { about: 'a'.repeat(4000) })), true);
  });

  test('an address that is not verified is nobody’s', async () => {
    const site = await world();
    let token = '';
    for (const isVerified of [false, 'false', 'no', 0, null, {}]) {
      token = await provider.token(halla, { email_verified: isVerified });
      assert.ok(!(await isIn(site, { cookie: `session=${token}` }, '/hers/')), JSON.stringify(isVerified));
    }
    const verified = await provider.token(halla, { email_verified: 'true' });
    assert.ok(await isIn(site, { cookie: `session=${verified}` }, '/hers/'));
    assert.ok(await isIn(site, { cookie: `session=${token}` }, '/trustees/'));
  });

  test('roles as a list, as one text, or further in; nothing else', async () => {
    const nested = await world({ ...rules(), roles: 'realm.roles' });
    const flat = await world();
    const sees = async (site: typeof flat, claims: Record<string, unknown>) =>
      isIn(site, { cookie: `session=${await provider.token(halla, claims)}` });
    assert.ok(await sees(flat, { roles: 'reader trustee' }));
    assert.ok(await sees(nested, { realm: { roles: ['trustee'] } }));
    assert.ok(await sees(nested, { 'realm.roles': ['trustee'] }));
    assert.ok(!(await sees(nested, { roles: ['trustee'] })));
    for (const realm of [null, 'trustee', 7, ['trustee'], { roles: null }, {}])
      assert.equal(await sees(nested, { realm }), false, JSON.stringify(realm));
    const inherited = await world({ ...rules(), roles: 'realm.constructor.name' });
    assert.equal(await sees(inherited, { realm: {} }), false);
    assert.deepEqual(
      nested.events.concat(inherited.events).filter(({ type }) => type === 'failed'),
      [],
    );
    for (const roles of [{ trustee: true }, 'trustees', ['Trustee'], [['trustee']], null, 7]) {
      assert.ok(!(await sees(flat, { roles })), JSON.stringify(roles));
      // Who they are said to be is known all the same.
      const hers = { cookie: `session=${await provider.token(halla, { roles })}` };
      assert.equal(await isIn(flat, hers, '/hers/'), true, JSON.stringify(roles));
    }
    for (const email of ['', 7, ['halla@kestrelmoor.example'], null]) {
      const odd = { cookie: `session=${await provider.token(halla, { email })}` };
      assert.equal(await isIn(flat, odd, '/hers/'), false, JSON.stringify(email));
      assert.equal(await isIn(flat, odd, '/anyone/'), true);
    }
    assert.deepEqual(
      flat.events.filter(({ type }) => type === 'failed'),
      [],
    );
  });

  test('a token that counted is not believed past its end', async () => {
    const policy = await testPolicy(locks, {}, { bypasses, identity: { jwt: rules() } });
    let time = now();
    const site = await testGuard(policy, { clock: () => time, tokenKeys: tokenKeysFrom('.') });
    const token = await provider.token(halla, { exp: time + 30 });
    assert.ok(await isIn(site, { cookie: `session=${token}` }));
    time += 29;
    assert.ok(await isIn(site, { cookie: `session=${token}` }));
    time += 7;
    assert.ok(!(await isIn(site, { cookie: `session=${token}` })));
  });

  test('keys that cannot be had: nobody is known, and it is told', async () => {
    for (const jwks of ['http://127.0.0.1:9/jwks.json', 'no-such-file.json']) {
      const site = await world({ ...rules(), jwks });
      assert.ok(!(await isIn(site, { cookie: `session=${await provider.token(halla)}` })));
      assert.ok(site.events.some(({ type }) => type === 'failed'));
    }
    const policy = await testPolicy(locks, {}, { bypasses, identity: { jwt: rules() } });
    const site = await testGuard(policy, { clock: now });
    assert.ok(!(await isIn(site, { cookie: `session=${await provider.token(halla)}` })));
  });

  test('keys in a file are read again when they were exchanged', async () => {
    const { folder, remove } = await temporaryFolder();
    const file = join(folder, 'jwks.json');
    const made = await Promise.all(['one', 'two'].map(() => generateKeyPair('RS256')));
    const publish = async (at: number, kid: string) =>
      writeFile(
        file,
        JSON.stringify({
          keys: [{ ...(await exportJWK(made[at]?.publicKey as never)), kid, alg: 'RS256' }],
        }),
      );
    const tokenOf = (at: number, kid: string) =>
      new SignJWT({ roles: ['trustee'] })
        .setProtectedHeader({ alg: 'RS256', kid })
        .setExpirationTime('1h')
        .sign(made[at]?.privateKey as never);
    const site = await world({ cookie: 'session', jwks: 'jwks.json' }, folder);
    const [first, second] = [await tokenOf(0, 'first'), await tokenOf(1, 'the-second')];
    await publish(0, 'first');
    assert.ok(await isIn(site, { cookie: `session=${first}` }));
    assert.ok(!(await isIn(site, { cookie: `session=${second}` })));
    await publish(1, 'the-second');
    assert.ok(await isIn(site, { cookie: `session=${second}` }));
    assert.ok(!(await isIn(site, { cookie: `session=${await tokenOf(0, 'first')}x` })));
    await remove();
  });

  test('a provider’s new key is fetched when a token names it', async () => {
    const fresh = await startSimulatedSignIn({
      people: [halla],
      audience,
      siteName: 'Test',
      home: () => '/',
    });
    const site = await world({
      ...rules(),
      jwks: `${fresh.issuer}/jwks.json`,
      issuer: fresh.issuer,
    });
    await fresh.rotate();
    assert.ok(await isIn(site, { cookie: `session=${await fresh.token(halla)}` }));
    const before = fresh.fetches();
    // Not at every token with an unknown key, or anybody could make the guard fetch.
    for (let tries = 0; tries < 10; tries++) {
      await isIn(site, { cookie: `session=${await provider.token(halla)}` });
    }
    assert.ok(fresh.fetches() - before <= 1);
    await fresh.close();
  });
});

test('a policy says where tokens are and whose keys verify them, safely', async () => {
  const cases: [Record<string, unknown>, RegExp][] = [
    [{ jwks: 'https://id.example/jwks.json' }, /say where the token is/],
    [{ cookie: 'session', jwks: 'http://id.example/jwks.json' }, /write an https address/],
    [{ cookie: 'session', jwks: 'ftp://id.example/jwks.json' }, /write an https address/],
    [{ cookie: 'session', jwks: 'k.json', algorithms: ['HS256'] }, /algorithms/],
    [{ cookie: 'session', jwks: 'k.json', algorithms: ['none'] }, /algorithms/],
    [{ cookie: 'a b', jwks: 'k.json' }, /name of a cookie/],
  ];
  for (const [jwt, expected] of cases) {
    await assert.rejects(testPolicy(locks, {}, { bypasses, identity: { jwt } }), expected);
  }
});
