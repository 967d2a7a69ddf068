import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { gunzipSync, gzipSync } from 'node:zlib';
import { Hono } from 'hono';
import { entryToken } from '../../src/core/passes/entry-link.js';
import { deriveKeys } from '../../src/core/passes/keys.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import type { Lock } from '../../src/core/policy/types.js';
import { guardFetch, guardFromText, guardHono } from '../../src/fetch.js';
import { boundedCounters } from '../../src/stores/counters-bounded.js';
import { webHasher } from '../../src/stores/web-hasher.js';
import { nativeHasher } from '../../src/stores/hasher.js';
import { testGuard } from '../support/guards.js';
import { policyText } from '../support/policies.js';

const secret = 'a secret of these tests that is long enough';
const at = 'https://site.example';

const textOf = (rest: Record<string, unknown> = {}) =>
  policyText(
    {
      members: { covers: ['/members/'], passwords: { aa: 'one' }, bypass: ['dome'] },
      walk: { covers: ['/events#walk'], passwords: { bb: 'two' } },
      trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
    },
    { ...rest },
    { bypasses: { dome: { addresses: ['203.0.113.0/24'], ribbon: false } } },
  );
const guardOf = async (rest?: Record<string, unknown>) => guardFromText(await textOf(rest), { secret });

/** The cookies of a browser that has typed a password. */
async function guestOf(fetchIt: (request: Request) => Promise<Response>, lock: string, password: string) {
  const body = new URLSearchParams({ lock, password, to: '/' });
  const answer = await fetchIt(new Request(`${at}/_dorlin/unlock`, { method: 'POST', body }));
  assert.equal(answer.status, 303);
  return answer.headers
    .getSetCookie()
    .map((line) => line.split(';', 1)[0])
    .join('; ');
}

const page = '<!doctype html><p>open</p><section id="walk">secret meeting</section>';
const html = { 'content-type': 'text/html; charset=utf-8' };

describe('in fetch style', () => {
  test('what is open goes on as the very request, and comes back as the very answer', async () => {
    const request = new Request(`${at}/film.mp4`);
    const answer = new Response('film');
    let seen: Request | undefined;
    const guarded = guardFetch(await guardOf(), (given) => {
      seen = given;
      return answer;
    });
    assert.equal(await guarded(request), answer);
    assert.equal(seen, request);
  });
  test('a stream stays one, under the headers of a locked place too', async () => {
    let send: ((text: string) => void) | undefined;
    const stream = () =>
      new ReadableStream<Uint8Array>({
        start: (controller) => {
          send = (text) => {
            controller.enqueue(new TextEncoder().encode(text));
          };
        },
      });
    const handler = () =>
      new Response(stream(), { headers: { 'content-type': 'text/event-stream', vary: 'Origin', 'set-cookie': 'a=b' } });
    const guarded = guardFetch(await guardOf(), handler, { address: () => '203.0.113.9' });
    for (const path of ['/events-as-they-come', '/members/live']) {
      const answer = await guarded(new Request(at + path));
      const reader = answer.body?.getReader();
      for (const text of ['one', 'two']) {
        send?.(text);
        const { value } = (await reader?.read()) ?? {};
        assert.equal(new TextDecoder().decode(value), text);
      }
      await reader?.cancel();
      if (!path.startsWith('/members')) continue;
      assert.equal(answer.headers.get('cache-control'), 'private, no-store');
      assert.equal(answer.headers.get('vary'), 'Origin, Cookie');
      assert.deepEqual(
        answer.headers.getSetCookie().map((line) => line.split('=', 1)[0]),
        ['a', 'dorlin-open'],
      );
    }
  });
  test('a section is cut, packed or not, and a guest gets it whole', async () => {
    const handler = ({ headers }: Request) => {
      assert.equal(headers.get('range'), null);
      assert.equal(headers.get('if-none-match'), null);
      return new Response(page, { headers: { ...html, etag: '"1"', 'content-length': String(page.length) } });
    };
    const packed = () => new Response(gzipSync(page), { headers: { ...html, 'content-encoding': 'gzip' } });
    // As a runtime gives what another server sent: unpacked, under the header that it had.
    const unpacked = () => new Response(page, { headers: { ...html, 'content-encoding': 'gzip' } });
    const guard = await guardOf();
    for (const one of [handler, packed, unpacked]) {
      const guarded = guardFetch(guard, one);
      const headers = { range: 'bytes=0-9', 'if-none-match': '"1"' };
      const answer = await guarded(new Request(`${at}/events`, { headers }));
      const text = await answer.text();
      assert.match(text, /open/);
      assert.doesNotMatch(text, /secret meeting/);
      assert.equal(answer.headers.get('etag'), null);
      assert.equal(answer.headers.get('content-encoding'), null);
      const cookie = await guestOf(guarded, 'walk', 'two');
      const whole = await guarded(new Request(`${at}/events`, { headers: { cookie } }));
      const body = Buffer.from(await whole.arrayBuffer());
      // As the application packed it, where nothing had to be cut.
      assert.match((body[0] === 0x1f ? gunzipSync(body) : body).toString(), /secret meeting/);
    }
  });
  test('what cannot be read is not shown: another coding, a body that breaks off, one that never ends', async () => {
    const breaks = () =>
      new ReadableStream<Uint8Array>({
        pull: (controller) => {
          controller.error(new Error('gone'));
        },
      });
    const endless = () =>
      new ReadableStream<Uint8Array>({
        pull: (controller) => {
          controller.enqueue(new Uint8Array(4_000_000).fill(65));
        },
      });
    const guard = await guardOf();
    for (const answer of [
      () => new Response(page, { headers: { ...html, 'content-encoding': 'br' } }),
      () => new Response(breaks(), { headers: html }),
      () => new Response(endless(), { headers: html }),
    ]) {
      const got = await guardFetch(guard, answer)(new Request(`${at}/events`));
      assert.ok(got.status >= 400, `${got.status}`);
      assert.doesNotMatch(await got.text(), /secret meeting|AAAA/);
    }
  });
  test('codings that cannot be taken off are not asked for where a page may be marked', async () => {
    let asked: string | null = '';
    const guarded = guardFetch(await guardOf(), ({ headers }) => {
      asked = headers.get('accept-encoding');
      return new Response('x');
    });
    await guarded(new Request(`${at}/about`, { headers: { 'accept-encoding': 'gzip, deflate, br, zstd' } }));
    assert.equal(asked, 'gzip');
  });
  test('they are left out on the very request; on another one where it cannot be changed', async () => {
    const asked: Request[] = [];
    const guarded = guardFetch(await guardOf(), (request) => {
      asked.push(request);
      return new Response('', { headers: html });
    });
    const headers = { 'accept-encoding': 'zstd, gzip', cookie: 'a=b' };
    const changeable = new Request(`${at}/about`, { headers });
    const refusing = new Request(`${at}/about`, { headers });
    refusing.headers.set = () => {
      throw new TypeError('immutable');
    };
    const copying = new Request(`${at}/about`, { headers });
    Object.defineProperty(copying, 'headers', { get: () => new Headers(headers) });
    for (const request of [changeable, refusing, copying]) await guarded(request);
    assert.deepEqual(
      asked.map((request) => [request.headers.get('accept-encoding'), request.headers.get('cookie')]),
      Array.from({ length: 3 }, () => ['gzip', 'a=b']),
    );
    assert.deepEqual([asked[0] === changeable, asked[1] === refusing, asked[2] === copying], [true, false, false]);
  });
  test('who identifies visitors reads their headers as those of any other front', async () => {
    const seen: unknown[] = [];
    const { guard } = await testGuard(readPolicyOrThrow(await textOf(), 'dorlin.yaml'), {
      identify: ({ headers }) => {
        seen.push({ ...headers }, headers['cookie'], 'x-more' in headers, headers['no such name'], headers['x-none']);
        assert.throws(() => Object.assign(headers, { cookie: 'another' }), TypeError);
        return { person: 'imke@kestrelmoor.example', roles: ['warden'] };
      },
    });
    const guarded = guardFetch(guard, () => new Response('log'));
    const answer = await guarded(new Request(`${at}/members/log`, { headers: { Cookie: 'a=b', 'X-More': '1' } }));
    assert.equal(answer.status, 403);
    assert.deepEqual(seen, [{ cookie: 'a=b', 'x-more': '1', host: 'site.example' }, 'a=b', true, undefined, undefined]);
  });
  test('a handshake goes on as the very request, and what is answered in its place is judged all the same', async () => {
    const handshake = (path: string) =>
      new Request(at + path, { headers: { upgrade: 'websocket', range: 'bytes=0-9', 'accept-encoding': 'gzip, br' } });
    const seen: Request[] = [];
    let answer = new Response('x');
    const guarded = guardFetch(await guardOf(), (request) => {
      seen.unshift(request);
      return answer;
    });
    const live = handshake('/live');
    await guarded(live);
    assert.equal(seen[0], live);
    // A page of which something must be cut is no WebSocket.
    answer = new Response(page, { headers: html });
    assert.doesNotMatch(await (await guarded(handshake('/events'))).text(), /secret meeting/);
    assert.equal(seen.at(0)?.headers.get('upgrade'), null);
    const marked = '<p data-dorlin-lock="members">secret words</p>';
    for (const [status, more] of [
      [200, { 'content-encoding': 'br' }],
      [206, { 'content-range': 'bytes 0-9/40' }],
      [200, {}],
    ] as const) {
      answer = new Response(marked, { status, headers: { ...html, ...more } });
      assert.doesNotMatch(await (await guarded(handshake('/notes'))).text(), /secret words/);
    }
  });
  test('a body is handed on with a request that is changed, and a form is read as far as forms go', async () => {
    const guarded = guardFetch(
      await guardOf(),
      async (request) => new Response(`${new URL(request.url).pathname} ${await request.text()}`),
    );
    const sent = await guarded(new Request(`${at}/%61bout`, { method: 'POST', body: 'posted' }));
    assert.equal(await sent.text(), '/about posted');
    const long = new Request(`${at}/_dorlin/unlock`, { method: 'POST', body: `password=${'x'.repeat(20_000)}` });
    assert.equal((await guarded(long)).status, 413);
  });
  test('a path that begins with two slashes stays one of this site', async () => {
    let url = '';
    const guarded = guardFetch(await guardOf(), (request) => {
      url = request.url;
      return new Response('x');
    });
    await guarded(new Request(`${at}//other.example/%61`));
    assert.equal(url, `${at}//other.example/a`);
  });
  test('a hidden place is answered as one that is not there, HEAD too', async () => {
    const seen: string[] = [];
    const guarded = guardFetch(await guardOf(), (request) => {
      seen.push(`${request.method} ${/trustees|minutes/.test(request.url) ? request.url : 'a neighbor'}`);
      return new Response(`nothing at ${new URL(request.url).pathname}`, {
        status: 404,
        headers: { 'content-type': 'text/plain' },
      });
    });
    const answer = await guarded(new Request(`${at}/trustees/minutes`));
    assert.deepEqual([answer.status, await answer.text()], [404, 'nothing at /trustees/minutes']);
    const head = await guarded(new Request(`${at}/trustees/minutes`, { method: 'HEAD' }));
    assert.deepEqual([head.status, head.body], [404, null]);
    assert.deepEqual(seen, ['GET a neighbor', 'GET a neighbor']);
  });
  test('who knows no address lets nobody in by one; runtimes hand it over in three ways', async () => {
    const guarded = guardFetch<unknown[]>(await guardOf(), () => new Response('in'));
    const headers = { 'x-forwarded-for': '203.0.113.9', 'x-real-ip': '203.0.113.9' };
    const status = async (...beside: unknown[]) =>
      (await guarded(new Request(`${at}/members/`, { headers }), ...beside)).status;
    const address = '203.0.113.9';
    assert.equal(await status(), 403);
    assert.equal(await status({}), 403);
    assert.equal(await status({ remoteAddr: { hostname: '198.51.100.1' } }), 403);
    assert.equal(await status({ remoteAddr: { hostname: address } }), 200);
    assert.equal(await status({ requestIP: () => ({ address }) }), 200);
    assert.equal(await status({ incoming: { socket: { remoteAddress: address } } }), 200);
  });
  test('templates ask what is open, of the request as it came and as it was handed on', async () => {
    const guard = await guardOf();
    const said: boolean[] = [];
    const guarded = guardFetch(
      guard,
      async (request) => {
        said.push(await guarded.opened(request, 'members'));
        return new Response('x');
      },
      { address: (request) => request.headers.get('x-platform') },
    );
    const cookie = await guestOf(guarded, 'members', 'one');
    await guarded(new Request(`${at}/%61bout`, { headers: { cookie } }));
    await guarded(new Request(`${at}/about`));
    await guarded(new Request(`${at}/%61bout`, { headers: { 'x-platform': '203.0.113.7' } }));
    assert.deepEqual(said, [true, false, true]);
    await assert.rejects(guarded.opened(new Request(at), 'nobody'), { code: 'lock-unknown' });
  });
});

describe('as a middleware of Hono', () => {
  test('routes below it see what was judged; the answer is what the guard makes of theirs', async () => {
    const app = new Hono()
      .use(guardHono(await guardOf()))
      .get('/events', (context) => context.html(page))
      .get('/trustees/minutes', (context) => context.text('papers'))
      .get('/members/:name', (context) => context.text(context.req.param('name'), 200, { 'cache-control': 'public' }))
      .notFound((context) => context.text('none of ours', 404));
    const guarded = async (request: Request) => app.fetch(request);
    const ask = async (path: string, headers: Record<string, string> = {}) => {
      const answer = await app.fetch(new Request(at + path, { headers }));
      return [answer.status, await answer.text(), answer.headers.get('cache-control') ?? ''] as const;
    };
    assert.doesNotMatch((await ask('/events'))[1], /secret meeting/);
    assert.equal((await ask('/members/log'))[0], 403);
    assert.deepEqual((await ask('/trustees/minutes')).slice(0, 2), [404, 'none of ours']);
    const cookie = await guestOf(guarded, 'members', 'one');
    assert.deepEqual(await ask('/members/log', { cookie }), [200, 'log', 'private, no-store']);
    // The route was chosen by how it arrived: it must arrive as it was judged.
    const moved = await app.fetch(new Request(`${at}/members/%6cog?a=%7e`, { headers: { cookie } }));
    assert.deepEqual([moved.status, moved.headers.get('location')], [308, '/members/log?a=~']);
    // Two slashes must not lead to another site.
    const doubled = await app.fetch(new Request(`${at}//evil.example/%61`));
    const location = doubled.headers.get('location') ?? '';
    assert.deepEqual([doubled.status, new URL(location, at).href], [308, `${at}//evil.example/a`]);
  });
});

describe('a guard from a text', () => {
  test('is not made of a policy with a mistake, of a short secret, or of hashes that it cannot check', async () => {
    await assert.rejects(guardFromText('dorlin: 2', { secret }), { code: 'policy-invalid' });
    await assert.rejects(guardFromText(await textOf(), { secret: 'short' }), { code: 'secret-weak' });
    const text = await policyText({
      a: { covers: ['/a'], basic: true, imported: { imke: '$apr1$abcdefgh$abcdefghijklmnopqrstu.' } },
    });
    await assert.rejects(guardFromText(text, { secret }), { code: 'hash-unknown' });
    await guardFromText(text, { secret, verifier: () => Promise.resolve(false) });
  });
  test('lets nobody in by a link with a number of uses, as nothing counts them; by any other it does', async () => {
    const ends = '2099-01-01';
    const links = [
      { id: 'once', label: 'Once', uses: 1, until: ends },
      { id: 'ever', label: 'Ever', until: ends },
    ];
    const text = await policyText({ members: { covers: ['/members/'], links } });
    const policy = readPolicyOrThrow(text, 'test');
    const keys = await deriveKeys(secret);
    const guarded = guardFetch(await guardFromText(text, { secret }), () => new Response('in'));
    const lock = policy.locks.get('members');
    assert.ok(lock);
    for (const [position, status] of [403, 303].entries()) {
      const token = await entryToken(lock, lock.links[position] as Lock['links'][number], policy, keys);
      const body = new URLSearchParams({ link: token });
      const answer = await guarded(new Request(`${at}/_dorlin/enter`, { method: 'POST', body }));
      assert.equal(answer.status, status);
    }
  });
  test('its hashes are those of every other guard', async () => {
    const salt = new Uint8Array(16).fill(7);
    for (const cost of [
      { algorithm: 'argon2id', memoryKib: 64, passes: 2, lanes: 1, length: 32 },
      { algorithm: 'pbkdf2-sha512', rounds: 10_000, length: 32 },
    ] as const) {
      const [one, other] = await Promise.all([webHasher('süß', salt, cost), nativeHasher('süß', salt, cost)]);
      assert.deepEqual(Buffer.from(one), Buffer.from(other));
    }
  });
  test('its counters let through as many as the budget has, anew when its time is over, and stay small', async () => {
    let now = 1000;
    const counters = boundedCounters(() => now, 100_000);
    const budget = { tries: 3, seconds: 60 };
    const takes = await Promise.all(Array.from({ length: 10 }, () => counters.take('a', budget)));
    assert.equal(takes.filter(({ isAllowed }) => isAllowed).length, 3);
    assert.equal(takes[9]?.waitSeconds, 60);
    await counters.giveBack('a', budget);
    assert.equal((await counters.take('a', budget)).isAllowed, true);
    assert.equal((await counters.take('a', budget)).isAllowed, false);
    now += 60;
    assert.equal((await counters.take('a', budget)).isAllowed, true);
    const before = process.memoryUsage().heapUsed;
    for (let count = 0; count < 100_000; count++) await counters.take(`visitor ${count}`, budget);
    assert.ok(process.memoryUsage().heapUsed - before < 50e6);
  });
});
