import assert from 'node:assert/strict';
import { randomInt } from 'node:crypto';
import { writeFile } from 'node:fs/promises';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { after, before, describe, test } from 'node:test';
import { brotliCompressSync, deflateSync, gzipSync } from 'node:zlib';
import { guardListener } from '../../src/adapters/node.js';
import { policyText, testPolicy } from '../support/policies.js';
import { rawClient } from '../support/raw-http.js';
import { runSite } from '../support/sites.js';
import { testGuard } from '../support/guards.js';

const locks = {
  walk: {
    covers: ['/events#walk'],
    passwords: { ww: 'stones' },
    remember: '1 day',
    bypass: ['staff'],
  },
  desk: { covers: ['/press/#desk'], passwords: { dd: 'ink' }, remember: '1 day' },
  gone: { covers: ['/old#gone'], passwords: { gg: 'x' } },
  hidden: { covers: ['/events#papers'], bypass: ['staff'], outsiders: 'not-found' },
  members: { covers: ['/members/'], passwords: { mm: 'owl' } },
};
const rest = {
  bypasses: { staff: { roles: ['editor'] } },
  identity: { header: { from: 'trustedProxies', roles: 'X-Roles' } },
};
const site = { trustedProxies: ['127.0.0.1'] };
const html = (body: string) => `<!doctype html><html lang="en"><title>T</title><body>${body}`;
const events = html('<p>PUBLIC</p><section id="walk">SECRET<img src="a.png"></section><div id="papers">SECRET</div>');
const files = {
  'events.html': events,
  'press/index.html': html('<p id=desk>SECRET</p>PUBLIC'),
  'old.html': html('<p id=renamed>SECRET</p>'),
  'marked.html': html('PUBLIC<p DATA-Dorlin-Lock=" members ">SECRET</p>'),
  'slip.html': html('PUBLIC<p data-dorlin-lock="membres">SECRET</p>'),
  'plain.html': html('PUBLIC'),
  'calm.html': html('PUBLIC'),
  'data.json': '{"PUBLIC": 1}',
  'film.mp4': 'PUBLIC film',
  'Talks/Night.html': html('PUBLIC<p data-dorlin-lock=members>SECRET</p>'),
  'Talks/Night/__data.json': '["SECRET"]',
  'Talks/Night.txt': 'SECRET',
  'calm/__data.json': '["PUBLIC"]',
  '404.html': html('NOTHING'),
};

describe('sections of a folder of files', () => {
  let served: Awaited<ReturnType<typeof runSite>>;
  before(async () => {
    served = await runSite(files, await policyText(locks, site, rest));
  });
  after(() => served.close());
  const get = (path: string, headers: Record<string, string> = {}, method = 'GET') =>
    fetch(served.url + path, { headers, method, redirect: 'manual' });

  test('a page that is just being changed is never taken for the one before', async () => {
    const file = `${served.folder}/site/plain.html`;
    for (let turn = 0; turn < 40; turn++) {
      const isMarked = turn % 2 === 1;
      const inner = isMarked ? '<p data-dorlin-lock=members>SECRET</p>' : '';
      // Written over in place, and asked for at once.
      await writeFile(file, html(`PUBLIC${inner}<!--${'x'.repeat(turn)}-->`));
      const page = await get('/plain');
      const text = await page.text();
      assert.doesNotMatch(text, /SECRET/, `turn ${turn}`);
      if (page.status !== 503) assert.equal(text.includes('data-dorlin-section'), isMarked);
    }
    await writeFile(file, files['plain.html']);
  });

  test('data of a page with a marked section is locked before anybody has asked for the page', async () => {
    for (const path of [
      '/Talks/Night/__data.json',
      '/Talks/Night.txt',
      '/talks/night/__data.json',
      '/Talks/Night.data',
    ]) {
      const answer = await get(path);
      assert.ok(answer.status === 403 || answer.status === 404, `${path} ${answer.status}`);
      assert.doesNotMatch(await answer.text(), /SECRET/, path);
    }
    assert.equal((await get('/Talks/Night/__data.json')).status, 403);
    assert.match(await (await get('/calm/__data.json')).text(), /PUBLIC/);
  });

  test('strangers get the page without them, with a form in their place', async () => {
    const page = await get('/events?x=1');
    const text = await page.text();
    assert.equal(page.status, 200);
    assert.doesNotMatch(text, /SECRET|a\.png/);
    assert.match(text, /PUBLIC/);
    assert.match(text, /name="to" value="\/events\?x=1#walk"/);
    assert.equal(page.headers.get('content-length'), String(Buffer.byteLength(text)));
    assert.equal(page.headers.get('cache-control'), 'private, no-store');
    assert.match(page.headers.get('vary') ?? '', /Cookie/);
    assert.equal(page.headers.get('x-robots-tag'), null);
    for (const name of ['etag', 'last-modified', 'accept-ranges']) {
      assert.equal(page.headers.get(name), null, name);
    }
    // The hidden one leaves its element and no trace of a lock.
    assert.match(text, /<div id="papers" data-dorlin-section="1"><\/div>/);
  });

  test('no spelling, range, condition or method gets at them', async () => {
    const etag = 'W/"1"';
    for (const path of [
      '/events',
      '/EVENTS.html',
      '/%65vents/',
      '//events',
      '/events;a=b',
      '/press',
      '/press/index.html',
    ]) {
      for (const headers of [
        {},
        { range: 'bytes=0-400' },
        { 'if-none-match': '*' },
        { 'if-none-match': etag },
        { 'if-modified-since': new Date().toUTCString() },
        { 'accept-encoding': 'gzip' },
        { accept: 'application/json' },
      ]) {
        for (const method of ['GET', 'HEAD', 'POST', 'OPTIONS']) {
          const answer = await get(path, headers, method);
          const label = `${method} ${path} ${JSON.stringify(headers)}`;
          assert.doesNotMatch(await answer.text(), /SECRET/, label);
          assert.ok(![206, 304].includes(answer.status), label);
          if (method === 'HEAD') assert.equal(answer.headers.get('content-length'), null, label);
        }
      }
    }
  });

  test('the password opens them, for this page alone, and roles see them at once', async () => {
    const unlocked = await fetch(`${served.url}/_dorlin/unlock`, {
      method: 'POST',
      redirect: 'manual',
      body: new URLSearchParams({ lock: 'walk', password: 'stones', to: '/events#walk' }),
    });
    assert.equal(unlocked.headers.get('location'), '/events#walk');
    const cookie = unlocked.headers
      .getSetCookie()
      .map((line) => line.split(';')[0])
      .join('; ');
    const page = await get('/events', { cookie });
    const text = await page.text();
    assert.match(text, /<section id="walk">SECRET/);
    assert.doesNotMatch(text, /papers">SECRET/);
    assert.doesNotMatch(await (await get('/press/', { cookie })).text(), /SECRET/);
    const staff = await get('/events', { 'x-roles': 'editor' });
    assert.equal(await staff.text(), events);
    assert.equal(staff.headers.get('cache-control'), 'private, no-store');
    assert.equal(staff.headers.get('etag'), null);
  });

  test('marks count in every page; a slip of the pen lets nobody in', async () => {
    const marked = await (await get('/marked')).text();
    assert.doesNotMatch(marked, /SECRET/);
    assert.match(marked, /PUBLIC.*dorlin-form-0/s);
    const slip = await (await get('/slip')).text();
    assert.doesNotMatch(slip, /SECRET|<form/);
    assert.match(slip, /PUBLIC.*This part is closed/s);
  });

  test('a page that lost its section is shut as a whole, and its owner is told', async () => {
    const answer = await get('/old');
    assert.equal(answer.status, 403);
    assert.match(await answer.text(), /This page is locked/);
    assert.ok(served.events.some((event) => event.type === 'section-missing' && event.id === 'gone'));
  });

  test('what has no section passes as it is, stored copies included', async () => {
    const plain = await get('/plain');
    assert.equal(await plain.text(), files['plain.html']);
    const etag = plain.headers.get('etag') ?? '';
    // Left to itself, `fetch` asks for no stored copy with a condition of ours.
    const stored = { 'if-none-match': etag, 'cache-control': 'max-age=0' };
    assert.equal((await get('/plain', stored)).status, 304);
    assert.equal((await get('/data.json', { range: 'bytes=0-3' })).status, 200, 'may be a page');
    assert.equal((await get('/film.mp4', { range: 'bytes=0-3' })).status, 206);
    assert.equal((await get('/film.mp4', { range: 'bytes=0-1,3-4' })).status, 200);
    const missing = await get('/nothing');
    assert.equal(missing.status, 404);
    assert.equal(await missing.text(), files['404.html']);
  });
});

describe('sections of what an application answers', async () => {
  const policy = await testPolicy(locks, site, rest);
  /** Asks for an address of an application behind the guard. */
  async function answerOf(
    application: (request: IncomingMessage, response: ServerResponse) => void,
    path = '/events',
    headers: Record<string, string> = {},
  ) {
    const { guard } = await testGuard(policy);
    const server = createServer(guardListener(guard, application));
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const { port } = server.address() as AddressInfo;
    try {
      const answer = await fetch(`http://127.0.0.1:${port}${path}`, {
        headers,
        redirect: 'manual',
      });
      return { status: answer.status, headers: answer.headers, text: await answer.text() };
    } finally {
      server.closeAllConnections();
      server.close();
    }
  }
  const type = { 'content-type': 'text/html; charset=utf-8' };
  test('no part of a page is asked for, and none that comes all the same is sent', async () => {
    const asked: (string | undefined)[] = [];
    const marked = html('PUBLIC<p data-dorlin-lock="members">SECRET</p>');
    for (const [path, headers, kind, status] of [
      ['/marked', { range: 'bytes=0-1,40-200' }, 'multipart/byteranges; boundary=x', 206],
      ['/marked.html', { range: 'bytes=0-9' }, 'text/html', 206],
      ['/marked.mp4', { range: 'bytes=0-1,40-200' }, 'multipart/byteranges; boundary=x', 206],
      ['/marked.mp4', { range: 'bytes=4000-' }, 'text/html', 416],
    ] as const) {
      const answer = await answerOf(
        (request, response) => {
          asked.push(request.headers.range);
          response.writeHead(status, { 'content-type': kind, 'content-range': 'bytes */96' });
          response.end(status === 416 ? '' : `--x\r\n${marked}`);
        },
        path,
        headers,
      );
      assert.doesNotMatch(answer.text, /SECRET/, path);
      assert.equal(answer.headers.get('content-range'), null, path);
    }
    assert.deepEqual(asked, [undefined, undefined, undefined, 'bytes=4000-']);
  });
  test('what may hold a section and cannot be read goes out under no status', async () => {
    for (const status of [200, 404, 500, 301]) {
      for (const headers of [{ 'content-encoding': 'zstd' }, { 'content-type': 'text/plain' }] as Record<
        string,
        string
      >[]) {
        const answer = await answerOf((_request, response) => {
          response.writeHead(status, { ...type, location: '/elsewhere', ...headers });
          response.end('a SECRET');
        }, '/press/');
        assert.doesNotMatch(answer.text, /SECRET/, `${status} ${JSON.stringify(headers)}`);
      }
    }
  });
  test('an application may use its buffer again', async () => {
    const text = html('PUBLIC<p data-dorlin-lock="members">SECRET</p>');
    const { text: got } = await answerOf((_request, response) => {
      response.writeHead(200, type);
      const buffer = Buffer.alloc(16);
      for (let at = 0; at < text.length; at += 16) {
        const length = buffer.write(text.slice(at, at + 16));
        response.write(buffer.subarray(0, length));
      }
      buffer.fill('x');
      response.end();
    }, '/marked');
    assert.match(got, /PUBLIC/);
    assert.doesNotMatch(got, /SECRET|xxx/);
  });
  test('what is known of a page at one host is not sent at another', async () => {
    const { guard } = await testGuard(policy);
    const server = createServer(
      guardListener(guard, (request, response) => {
        response.writeHead(200, { ...type, etag: '"same"' });
        response.end(html(`<p id=desk>SECRET</p>PUBLIC at ${request.headers.host ?? ''}`));
      }),
    ).listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    const client = rawClient((server.address() as AddressInfo).port);
    for (const host of ['evil.example', 'site.example', 'evil.example', 'site.example']) {
      const { body } = await client.request('/press/', 'GET', { host });
      assert.match(body, new RegExp(`PUBLIC at ${host}`));
    }
    client.close();
    server.close();
  });
  test('a page that is nested deeper than browsers keep it is shut whole', async () => {
    const deep = (depth: number) => async (path: string) =>
      answerOf((_request, response) => {
        const inner = '<p id="desk" data-dorlin-lock="members">secret</p>';
        response.writeHead(200, type).end('<div>'.repeat(depth) + inner);
      }, path);
    for (const path of ['/press/', '/elsewhere']) {
      assert.equal((await deep(600)(path)).status, 403, path);
      const shallow = await deep(400)(path);
      assert.equal(shallow.status, 200, path);
      assert.doesNotMatch((await deep(600)(path)).text + shallow.text, /secret/);
    }
  });

  test('however it writes: at once, in pieces, with headers in any form', async () => {
    const ways: ((response: ServerResponse) => void)[] = [
      (response) => response.writeHead(200, type).end(events),
      (response) => response.writeHead(200, 'Fine', ['Content-Type', 'text/html']).end(events),
      (response) => {
        response.setHeader('Content-Type', 'text/html');
        response.setHeader('Vary', 'Accept');
        response.end(Buffer.from(events));
      },
      (response) => {
        response.flushHeaders();
        response.end(events);
      },
      (response) => {
        response.writeHead(200, { ...type, 'content-length': Buffer.byteLength(events) });
        for (let at = 0; at < events.length;) {
          const next = at + randomInt(1, 9);
          response.write(events.slice(at, next));
          at = next;
        }
        response.end();
      },
    ];
    for (const [at, way] of ways.entries()) {
      const { status, text, headers } = await answerOf((_, response) => {
        way(response);
      });
      assert.equal(status, 200, String(at));
      assert.doesNotMatch(text, /SECRET/, String(at));
      assert.match(text, /PUBLIC/, String(at));
      assert.match(headers.get('content-type') ?? '', /^text\/html/);
      assert.match(headers.get('vary') ?? '', at === 2 ? /Accept, Cookie/ : /Cookie/);
    }
  });

  test('however it is coded, and not at all where that is not known', async () => {
    const codings: [string, Buffer, number][] = [
      ['gzip', gzipSync(events), 200],
      ['br', brotliCompressSync(events), 200],
      ['deflate', deflateSync(events), 200],
      ['gzip, br', brotliCompressSync(gzipSync(events)), 200],
      ['identity', Buffer.from(events), 200],
      ['gzip', Buffer.from(events), 403],
      ['rot13', Buffer.from(events), 403],
    ];
    for (const [coding, body, expected] of codings) {
      const { status, text, headers } = await answerOf((_, response) => {
        response.writeHead(200, { ...type, 'content-encoding': coding }).end(body);
      });
      assert.equal(status, expected, coding);
      assert.doesNotMatch(text, /SECRET/, coding);
      assert.equal(headers.get('content-encoding'), null);
    }
  });

  test('something else than a page at its address is shut, as it may hold them too', async () => {
    const kinds: [Record<string, string>, string, number, number][] = [
      [{ 'content-type': 'application/json' }, '{"text":"SECRET"}', 200, 403],
      [{ 'content-type': 'text/html' }, events.slice(0, 80), 206, 403],
      [{ 'content-type': 'application/xhtml+xml' }, events, 200, 403],
      [{ 'content-type': 'text/html; charset=x-ours' }, events, 200, 403],
      [{ 'content-type': 'text/html' }, 'nothing', 404, 404],
      [{ 'content-type': 'text/html', location: '/else' }, events, 300, 300],
    ];
    for (const [headers, body, status, expected] of kinds) {
      const answer = await answerOf((_, response) => {
        response.writeHead(status, headers).end(body);
      });
      assert.equal(answer.status, expected, JSON.stringify(headers));
      assert.doesNotMatch(answer.text, /SECRET/);
    }
  });

  test('marked pages in XML, in parts and in unknown codings are shut; others pass', async () => {
    const marked = '<p data-dorlin-lock="members">SECRET</p>';
    const cases: [Record<string, string>, string, number, number][] = [
      [{ 'content-type': 'application/xhtml+xml' }, marked, 200, 403],
      [{ 'content-type': 'text/html', 'content-range': 'bytes 0-1/9' }, marked, 206, 403],
      [{ 'content-type': 'text/html', 'content-encoding': 'rot13' }, marked, 200, 403],
      [{ 'content-type': 'text/html, text/html' }, marked, 200, 200],
      [{ 'content-type': 'unknown/unknown' }, marked, 200, 200],
      [{ 'content-type': 'html' }, marked, 200, 200],
      [{}, marked, 200, 200],
      [{ 'content-type': 'application/xml' }, '<p>PUBLIC</p>', 200, 200],
      [{ 'content-type': 'text/plain' }, marked.replace('SECRET', 'as text'), 200, 200],
    ];
    for (const [headers, body, status, expected] of cases) {
      const answer = await answerOf((_, response) => {
        response.writeHead(status, headers).end(body);
      }, '/other');
      assert.equal(answer.status, expected, JSON.stringify(headers));
      assert.doesNotMatch(answer.text, /SECRET/);
    }
  });

  test('a page without sections is read once for each ETag, address and policy', async () => {
    const { guard } = await testGuard(policy);
    let body = html('PUBLIC');
    let etag = '"one"';
    const server = createServer(
      guardListener(guard, (_, response) => {
        response.writeHead(200, { ...type, etag }).end(body);
      }),
    );
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    const read = async (path: string) => (await fetch(url + path)).text();
    assert.equal(await read('/a'), body);
    assert.equal(await read('/a'), body);
    body = html('PUBLIC<p data-dorlin-lock="members">SECRET</p>');
    etag = '"two"';
    assert.doesNotMatch(await read('/a'), /SECRET/);
    assert.doesNotMatch(await read('/a'), /SECRET/);
    // At another address the same tag says nothing.
    etag = '"one"';
    assert.doesNotMatch(await read('/b'), /SECRET/);
    server.closeAllConnections();
    server.close();
  });

  test('cookies of the application stay beside ours', async () => {
    const { guard } = await testGuard(
      await testPolicy({ members: { covers: ['/a'], bypass: ['staff'] } }, {}, { bypasses: rest.bypasses }),
      { identify: () => ({ roles: ['editor'] }) },
    );
    const ways: ((response: ServerResponse) => void)[] = [
      (response) => response.writeHead(200, ['Set-Cookie', 'a=1', 'set-cookie', 'b=2']).end('x'),
      (response) => response.writeHead(200, { 'Set-Cookie': ['a=1', 'b=2'] }).end('x'),
      (response) => {
        response.setHeader('Set-Cookie', 'a=1');
        response.appendHeader('set-cookie', 'b=2');
        response.end('x');
      },
      (response) => {
        response.setHeader('set-cookie', 'gone=1');
        response.writeHead(200, { 'set-cookie': ['a=1', 'b=2'], 'content-type': 'text/html' });
        response.end('<p>x');
      },
    ];
    for (const way of ways) {
      const server = createServer(guardListener(guard, (_, response) => way(response))); // eslint-disable-line @typescript-eslint/no-confusing-void-expression
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      const answer = await fetch(`http://127.0.0.1:${(server.address() as AddressInfo).port}/a`);
      assert.deepEqual(answer.headers.getSetCookie(), ['a=1', 'b=2', 'dorlin-open=members; Path=/; SameSite=Lax']);
      await answer.text();
      server.closeAllConnections();
      server.close();
    }
  });

  describe('a page is sent again where the application says that nothing changed', () => {
    const one = '"one"';
    // what the application says of the page, and how often it makes it for three visits of strangers
    const table: [string, Record<string, string>, number][] = [
      ['with an ETag', { etag: one }, 1],
      ['with a weak one', { etag: 'W/"one"' }, 1],
      ['for everybody', { etag: one, 'cache-control': 'max-age=60', vary: 'Accept-Encoding' }, 1],
      ['not to be stored', { etag: one, 'cache-control': 'no-store' }, 3],
      ['of this visitor', { etag: one, 'cache-control': 'private' }, 3],
      ['in the visitor’s language', { etag: one, vary: 'Accept-Language' }, 3],
      ['with a cookie', { etag: one, 'set-cookie': 'a=1' }, 3],
      ['without an ETag', {}, 3],
    ];
    for (const [what, headers, times] of table) {
      test(what, async (context) => {
        const { guard } = await testGuard(policy, {
          identify: ({ headers: { 'x-roles': role } }) => ({ roles: [String(role)] }),
        });
        const world = { made: 0, word: 'PUBLIC', etag: headers['etag'] };
        const server = createServer(
          guardListener(guard, (request, response) => {
            const { etag } = world;
            const given = {
              ...headers,
              ...(etag ? { etag } : {}),
              'content-language': 'en',
              link: '</a>',
              'x-user': 'alice',
            };
            if (etag !== undefined && request.headers['if-none-match'] === etag) {
              response.writeHead(304, 'Not Modified', { etag, 'x-turn': String(world.made) }).end();
              return;
            }
            world.made++;
            response.writeHead(200, { ...type, ...given }).end(events.replace('PUBLIC', world.word));
          }),
        );
        await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
        context.after(() => {
          server.closeAllConnections();
          server.close();
        });
        const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/events`;
        const ask = async (more: Record<string, string> = {}) => {
          const answer = await fetch(url, { headers: more });
          return { answer, text: await answer.text() };
        };
        let first = '';
        for (let visit = 0; visit < 3; visit++) {
          // Whatever the visitor has, it is not the page as it is sent.
          const { answer, text } = await ask({ 'if-none-match': headers['etag'] ?? '*' });
          assert.deepEqual([answer.status, answer.statusText], [200, 'OK']);
          assert.match(text, /PUBLIC/);
          assert.doesNotMatch(text, /SECRET/);
          first ||= text;
          assert.equal(text, first);
          assert.equal(answer.headers.get('content-length'), String(Buffer.byteLength(text)));
          assert.equal(answer.headers.get('content-type'), type['content-type']);
          assert.equal(answer.headers.get('content-language'), 'en');
          assert.equal(answer.headers.get('link'), '</a>');
          assert.equal(answer.headers.get('etag'), null);
          // It is of whoever it was made for.
          if (visit > 0 && times === 1) assert.equal(answer.headers.get('x-user'), null);
          assert.equal(answer.headers.get('cache-control'), 'private, no-store');
        }
        assert.equal(world.made, times);
        assert.match((await ask({ 'x-roles': 'editor' })).text, /SECRET/);
        world.word = 'CHANGED';
        if (world.etag !== undefined) world.etag = '"two"';
        assert.match((await ask()).text, /CHANGED/);
      });
    }
  });

  test('where an address can be read as two pages, both their locks must be open', async () => {
    const two = await testPolicy({
      one: { covers: ['/a/b#x'], passwords: { aa: 'first' }, remember: '1 day' },
      other: { covers: ['/b#x'], passwords: { bb: 'second' }, remember: '1 day' },
    });
    const { browser } = await testGuard(two);
    const visitor = browser();
    const sees = async () => {
      const verdict = await visitor.get('//a/b');
      assert.ok(verdict.kind === 'open' && verdict.page);
      const body = new TextEncoder().encode('<p id=x>SECRET</p>');
      return verdict.page.filter({ status: 200, contentType: 'text/html', body });
    };
    await visitor.unlock('one', 'first');
    assert.equal((await sees())?.kind, 'changed');
    await visitor.unlock('other', 'second');
    assert.equal((await sees())?.kind, 'as-it-is');
  });

  test('it is asked for the whole page, without conditions', async () => {
    const asked: IncomingMessage['headers'][] = [];
    const application = (request: IncomingMessage, response: ServerResponse) => {
      asked.push(request.headers);
      response.writeHead(200, type).end(events);
    };
    const headers = { range: 'bytes=0-1', 'if-none-match': '*', 'accept-encoding': 'gzip, zstd' };
    await answerOf(application, '/events', headers);
    await answerOf(application, '/other', headers);
    assert.equal(asked[0]?.range ?? asked[0]?.['if-none-match'] ?? asked[0]?.['accept-encoding'], undefined);
    assert.equal(asked[1]?.range, undefined);
    assert.match(asked[1]?.['accept-encoding'] as string, /^gzip(?!.*zstd)/);
  });
});
