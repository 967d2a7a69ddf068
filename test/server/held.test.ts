import assert from 'node:assert/strict';
import {
  createServer,
  type IncomingMessage,
  type RequestListener,
  type ServerOptions,
  type ServerResponse,
} from 'node:http';
import { Socket, type AddressInfo } from 'node:net';
import { after, before, describe, test } from 'node:test';
import { TLSSocket } from 'node:tls';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import express from 'express';
import { visitOf } from '../../src/adapters/node-visit.js';
import { guardListener, guardMiddleware } from '../../src/adapters/node.js';
import { GuardedResponse } from '../../src/adapters/taken-answer.js';
import { HeldAnswer, HeldBytes } from '../../src/guard/page/held-answer.js';
import type { PageFilter } from '../../src/guard/visit/visit.js';
import { bothForced } from '../../src/guard/page/forced-headers.js';
import type { GuardEvent } from '../../src/guard/events.js';
import { testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';
import { rawClient } from '../support/raw-http.js';

const html = { 'content-type': 'text/html; charset=utf-8' };
const named = '<!doctype html><p id=walk>SECRET</p><p>PUBLIC</p>';
const marked = '<!doctype html><p data-dorlin-lock=members>SECRET</p><p>PUBLIC</p>';

/** What a middleware that stands before the guard does to a response: it writes through functions of its own. */
function wrapped(response: ServerResponse): void {
  for (const name of ['writeHead', 'write', 'end', 'flushHeaders'] as const) {
    const functions = response as unknown as Record<string, (...all: unknown[]) => unknown>;
    const before = functions[name];
    functions[name] = function (this: ServerResponse, ...all: unknown[]) {
      return before?.apply(this, all);
    };
  }
}

const kinds: readonly [string, ServerOptions, (response: ServerResponse) => void][] = [
  ['an answer that is held', {}, () => undefined],
  ['the same, of a response that is made for it', { ServerResponse: GuardedResponse }, () => undefined],
  ['the same, wrapped by what stands before', { ServerResponse: GuardedResponse }, wrapped],
];

/** An application behind the guard, which each test puts there. */
for (const [kind, options, wrap] of kinds)
  describe(kind, () => {
    let client: ReturnType<typeof rawClient>;
    let application: RequestListener = () => undefined;
    let close: () => void;
    let events: readonly GuardEvent[] = [];
    before(async () => {
      const policy = await testPolicy(
        {
          walk: { covers: ['/events#walk'], passwords: { ww: 'stones' }, bypass: ['staff'] },
          members: { covers: ['/members/'], passwords: { mm: 'owl' }, bypass: ['staff'] },
          trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
        },
        {},
        { bypasses: { staff: { roles: ['editor'] } } },
      );
      const identify = ({ headers }: { headers: Record<string, unknown> }) => ({ roles: [String(headers['x-roles'])] });
      const world = await testGuard(policy, { identify });
      const { guard } = world;
      events = world.events;
      const guarded = guardListener(guard, (request, response) => {
        application(request, response);
      });
      const server = createServer(options, (request, response) => {
        wrap(response);
        guarded(request, response);
      });
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      client = rawClient((server.address() as AddressInfo).port);
      close = () => {
        client.close();
        server.closeAllConnections();
        server.close();
      };
    });
    after(() => {
      close();
    });
    const get = async (
      path: string,
      way: (response: ServerResponse, request: IncomingMessage) => void,
      headers: Record<string, string> = {},
    ) => {
      application = (request, response) => {
        way(response, request);
      };
      return client.request(path, 'GET', headers);
    };

    test('has headers written as pairs, for those let in and for what is cut, packed or not', async () => {
      const pairs = (more: [string, string][] = []) => [
        ['Content-Type', 'text/html'],
        ['X-One', '1'],
        ['Set-Cookie', 'a=1'],
        ['Set-Cookie', 'b=2'],
        ...more,
      ];
      const write = (response: ServerResponse, given: unknown, body: string | Buffer) =>
        response.writeHead(200, given as never).end(body);
      const inside = await get('/members/log', (response) => write(response, pairs(), 'the log'), {
        'x-roles': 'editor',
      });
      assert.equal(inside.status, 200);
      assert.match(inside.body, /the log/);
      assert.match(inside.head, /^cache-control: private, no-store$/im);
      assert.match(inside.head, /^x-one: 1$/im);
      assert.equal(inside.head.match(/^set-cookie: [ab]=/gim)?.length, 2);
      const codings: [string, Buffer][] = [
        ['gzip', gzipSync(named)],
        ['br', brotliCompressSync(named)],
      ];
      for (const [coding, body] of codings) {
        const cut = await get('/events', (response) => write(response, pairs([['Content-Encoding', coding]]), body));
        assert.equal(cut.status, 200, coding);
        assert.match(cut.body, /PUBLIC/);
        assert.doesNotMatch(cut.body + cut.head, /SECRET|content-encoding/i);
        const elsewhere = await get('/elsewhere', (response) =>
          write(
            response,
            pairs([['content-encoding', coding]]),
            coding === 'gzip' ? gzipSync(marked) : brotliCompressSync(marked),
          ),
        );
        assert.match(elsewhere.body, /PUBLIC/);
        assert.doesNotMatch(elsewhere.body, /SECRET/);
      }
    });

    test('says nothing of the page as it was, and nothing of the application’s where it is refused', async () => {
      const told = {
        etag: '"whole"',
        'last-modified': 'Tue, 24 Nov 2026 12:00:00 GMT',
        'content-md5': 'x',
        'content-digest': 'sha-256=:x:',
        'repr-digest': 'sha-256=:x:',
        digest: 'sha-256=x',
        'accept-ranges': 'bytes',
        expires: 'Tue, 24 Nov 2027 12:00:00 GMT',
        age: '5',
        'cache-control': 'public, max-age=60',
      };
      const cut = await get('/events', (response) =>
        response.writeHead(200, { ...html, ...told, 'set-cookie': 'a=1' }).end(named),
      );
      assert.equal(cut.status, 200);
      const refused = await get('/events', (response) =>
        response
          .writeHead(200, {
            ...told,
            'content-type': 'application/json',
            'set-cookie': 'a=1',
            'x-own': '1',
            link: '</a>',
          })
          .end('"SECRET"'),
      );
      assert.equal(refused.status, 403);
      assert.doesNotMatch(refused.body, /SECRET/);
      for (const { head } of [cut, refused]) {
        for (const name of Object.keys(told)) {
          if (name !== 'cache-control') assert.doesNotMatch(head, new RegExp(`^${name}:`, 'im'));
        }
        assert.doesNotMatch(head, /public|max-age=60/i);
        assert.equal(head.match(/^cache-control:/gim)?.length, 1);
      }
      assert.match(cut.head, /^cache-control: private, no-store$/im);
      assert.match(cut.head, /^set-cookie: a=1$/im);
      assert.doesNotMatch(refused.head, /^(?:set-cookie: a=1|x-own|link):?/im);
    });

    test('that is longer than is read is shut, and is not remembered as a page without sections', async () => {
      const long = `<p>${'x'.repeat(33 * 2 ** 20)}`;
      const head = { ...html, etag: '"one"' };
      for (const path of ['/long', '/events']) {
        const answer = await get(path, (response) => response.writeHead(200, head).end(long));
        assert.equal(answer.status, 403);
        assert.equal(answer.body.length < 20_000, true);
        const page = path === '/events' ? named : marked;
        const next = await get(path, (response) => response.writeHead(200, head).end(page));
        assert.match(next.body, /PUBLIC/);
        assert.doesNotMatch(next.body, /SECRET/);
      }
    });

    test('that unpacks to more than is read is shut, and takes little of the memory', async () => {
      const bomb = gzipSync(Buffer.alloc(100 * 2 ** 20));
      for (const body of [bomb, gzipSync(bomb)]) {
        const coding = body === bomb ? 'gzip' : 'gzip, gzip';
        const before = process.memoryUsage().rss;
        for (const path of ['/events', '/elsewhere']) {
          const answer = await get(path, (response) =>
            response.writeHead(200, { ...html, 'content-encoding': coding }).end(body),
          );
          assert.equal(answer.status, 403);
        }
        assert.equal(process.memoryUsage().rss - before < 200 * 2 ** 20, true);
      }
    });

    test('of a coding that is no coding is shut, whatever objects have by that name', async () => {
      for (const coding of ['constructor', 'tostring', '__proto__', 'x', 'gzip;q=1']) {
        const answer = await get('/events', (response) =>
          response.writeHead(200, { ...html, 'content-encoding': coding }).end(named),
        );
        assert.equal(answer.status, 403, coding);
      }
    });

    test('that cannot be read goes out to whom nothing in it is shut', async () => {
      const staff = { 'x-roles': 'editor' };
      const data = (response: ServerResponse) =>
        response.writeHead(200, { 'content-type': 'application/json', etag: '"1"' }).end('"SECRET"');
      const inside = await get('/events', data, staff);
      assert.equal(inside.status, 200);
      assert.match(inside.body, /SECRET/);
      assert.match(inside.head, /^cache-control: private, no-store$/im);
      assert.equal((await get('/events', data)).status, 403);
      const coded = (response: ServerResponse) =>
        response.writeHead(200, { ...html, 'content-encoding': 'x' }).end(marked);
      assert.equal((await get('/elsewhere', coded, staff)).status, 403, 'who can tell what is in it?');
      // Its owner is told of each page that is shut so, whoever asked.
      const told = events.at(-1);
      assert.equal(told?.type === 'page-uncut' && `${told.path} ${told.why}`, '/elsewhere unreadable');
      const xml = (response: ServerResponse) => response.writeHead(200, { 'content-type': 'text/xml' }).end(marked);
      assert.match((await get('/elsewhere', xml, staff)).body, /SECRET/);
      assert.doesNotMatch((await get('/elsewhere', xml)).body, /SECRET/);
      const slip = (response: ServerResponse) =>
        response.writeHead(200, { 'content-type': 'text/xml' }).end(marked.replace('=members', '=membres'));
      assert.equal((await get('/elsewhere', slip, staff)).status, 403);
    });

    test('in two bytes a letter is cut, and sent as what it is then', async () => {
      for (const [path, page] of [
        ['/events', named],
        ['/elsewhere', marked],
      ] as const) {
        const body = Buffer.from(`\ufeff${page}é`, 'utf16le');
        const answer = await get(path, (response) =>
          response.writeHead(200, { 'content-type': 'text/html; charset=utf-16le' }).end(body),
        );
        assert.match(answer.head, /^content-type: text\/html; charset=utf-8$/im);
        assert.match(answer.body, /PUBLIC/);
        assert.doesNotMatch(answer.body.replaceAll('\0', ''), /SECRET/);
      }
    });

    test('may be marked in every type that a browser shows as a page or as XML', async () => {
      const types = [
        'application/xml',
        'text/xml',
        'application/unknown',
        'unknown/unknown',
        'application/xhtml+xml',
        'image/svg+xml',
        'text/html',
        'TEXT/HTML ;x',
        'html',
        'text/xml; charset=utf-8',
      ];
      for (const type of types) {
        const answer = await get('/elsewhere', (response) =>
          response.writeHead(200, { 'content-type': type }).end(marked),
        );
        assert.doesNotMatch(answer.body, /SECRET/, type);
      }
      for (const type of ['text/plain', 'application/json', 'application/xmlx', 'image/png']) {
        const answer = await get('/elsewhere', (response) =>
          response.writeHead(200, { 'content-type': type }).end(marked),
        );
        assert.match(answer.body, /SECRET/, type);
      }
    });

    test('that is no page passes by as it comes, and what is asked goes on by its own method', async () => {
      const seen: string[] = [];
      const server = createServer(
        guardListener(
          (await testGuard(await testPolicy({ members: { covers: ['/members/'], passwords: { mm: 'owl' } } }))).guard,
          (request, response) => {
            seen.push(request.method ?? '');
            response.writeHead(200, { 'content-type': 'text/event-stream' });
            response.write('data: one\n\n');
            // It never ends: who waits for its end waits for ever.
          },
        ),
      );
      await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
      const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/news`;
      for (const method of ['GET', 'POST', 'PUT']) {
        const { body } = await fetch(url, { method });
        const first = await body?.getReader().read();
        assert.equal(new TextDecoder().decode(first?.value), 'data: one\n\n');
      }
      assert.deepEqual(seen, ['GET', 'POST', 'PUT']);
      server.closeAllConnections();
      server.close();
    });
    test('by two guards is varied by what both say, and has the cookies of both', () => {
      const own = { 'set-cookie': ['a=1'], vary: 'Cookie' };
      assert.deepEqual(
        bothForced({ ...own, 'x-outer': '1' }, { 'set-cookie': ['b=2'], vary: 'Accept-Language', 'x-inner': '1' }),
        { 'set-cookie': ['b=2', 'a=1'], vary: 'Accept-Language, Cookie', 'x-outer': '1', 'x-inner': '1' },
      );
      assert.deepEqual(bothForced({ 'x-a': '1' }, { 'x-b': '2' }), { 'x-b': '2', 'x-a': '1' });
    });
    test('of a hidden page is asked for under an address that tells nothing of it', async () => {
      const seen: string[] = [];
      await get('/trustees/minutes?x=y', (response, request) => {
        seen.push(request.url ?? '', (request as { originalUrl?: string }).originalUrl ?? '');
        response.writeHead(404).end('nothing');
      });
      assert.equal(seen[0] === '', false);
      assert.doesNotMatch(seen.join(' '), /trustees|minutes/);
    });
  });

describe('an address that was rewritten before the guard', () => {
  const statusesOf = async (rewrite: (url: string) => string, targets: string[]) => {
    const policy = await testPolicy({
      members: { covers: ['/members/'], passwords: { mm: 'owl' } },
      trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
    });
    const { guard } = await testGuard(policy);
    const app = express();
    const seen: string[] = [];
    app.use((request, _, next) => {
      request.url = rewrite(request.url);
      next();
    });
    app.use(guardMiddleware(guard));
    app.use((request, response) => {
      seen.push(`${request.url} ${request.originalUrl} ${request.baseUrl}`);
      response.end('page');
    });
    const server = createServer(app).listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    const client = rawClient((server.address() as AddressInfo).port);
    const statuses: number[] = [];
    for (const target of targets) statuses.push((await client.request(target)).status);
    client.close();
    server.closeAllConnections();
    server.close();
    return { statuses, seen };
  };
  test('is judged as it came and as it became', async () => {
    const swap = (url: string) => (url === '/open' ? '/members/log' : url === '/members/log' ? '/open' : url);
    const { statuses, seen } = await statusesOf(swap, ['/open', '/members/log', '/other']);
    assert.deepEqual(statuses, [403, 403, 200]);
    assert.deepEqual(seen, ['/other /other ']);
  });
  test('and where it is hidden, nothing of it is left in the request', async () => {
    const { seen } = await statusesOf((url) => url.replace('/t/', '/trustees/'), ['/t/minutes', '/trustees/minutes']);
    assert.equal(seen.length, 2);
    assert.doesNotMatch(seen.join(), /minutes/);
  });
});

test('what wraps an answer behind the guard goes on wrapping it', async () => {
  const policy = await testPolicy({ members: { covers: ['/members/'], passwords: { mm: 'owl' } } });
  const { guard } = await testGuard(policy);
  const app = express();
  app.use(guardMiddleware(guard));
  // As packers of answers do: they begin with the first bytes, and end with the last.
  app.use((_, response, next) => {
    const write = response.write.bind(response);
    const end = response.end.bind(response);
    response.write = (chunk: string) => {
      if (!response.headersSent) response.writeHead(response.statusCode);
      return write(chunk.toUpperCase(), 'utf8');
    };
    response.end = ((chunk?: string) => {
      if (chunk !== undefined) response.write(chunk);
      return end('END', 'utf8');
    }) as typeof response.end;
    next();
  });
  app.use((request, response) => {
    response.setHeader('content-type', request.path === '/page' ? 'text/html' : 'application/json');
    response.write('one');
    response.write('two');
    response.end('three');
  });
  const server = createServer(app).listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  for (const path of ['/data', '/page']) assert.equal(await (await fetch(origin + path)).text(), 'ONETWOTHREEEND');
  server.closeAllConnections();
  server.close();
});

test('a visit is encrypted where its own connection is', () => {
  const visit = (socket: Socket) =>
    visitOf({ socket, headers: {}, url: '/', method: 'GET' } as unknown as IncomingMessage);
  assert.equal(visit(new Socket()).encrypted, false);
  assert.equal(visit(new TLSSocket(new Socket())).encrypted, true);
});

test('answers that are held take a bounded part of the memory, and what is let go of makes room', async () => {
  const bytes = new HeldBytes(1000);
  const page = { filter: () => undefined, concerns: () => true } as unknown as PageFilter;
  const head = { status: 200, header: () => '', headers: () => ({}) };
  const tools = { joined: (pieces: readonly Uint8Array[]) => Buffer.concat(pieces), letters: () => '' } as never;
  const hold = () => {
    const answer = new HeldAnswer(page, undefined, false, tools, bytes);
    for (let piece = 0; piece < 4; piece++) answer.keep(new Uint8Array(100));
    return answer;
  };
  const [first, second] = [hold(), hold()];
  assert.equal((await first.finish(head)).kind, 'as-given');
  assert.equal((await second.finish(head)).kind, 'as-given');
  const third = hold();
  const outcome = await third.finish(head);
  assert.equal(outcome.kind === 'replaced' && outcome.answer.status, 503);
  assert.equal(bytes.held, 800, 'what was refused holds nothing');
  first.release();
  first.release();
  assert.equal(bytes.held, 400);
  assert.equal((await hold().finish(head)).kind, 'as-given');
});
