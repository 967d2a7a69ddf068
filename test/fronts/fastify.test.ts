import assert from 'node:assert/strict';
import { Readable } from 'node:stream';
import { describe, test } from 'node:test';
import websocket from '@fastify/websocket';
import fastify, { type FastifyInstance, type FastifyServerOptions } from 'fastify';
import { WebSocket } from 'ws';
import { guardFastify } from '../../src/fastify.js';
import { readPolicyOrThrow } from '../../src/core/policy/read.js';
import { testGuard } from '../support/guards.js';
import { policyText } from '../support/policies.js';

const page = '<!doctype html><p>open</p><section id="walk">secret meeting</section>';

async function guardOf() {
  const text = await policyText(
    {
      members: { covers: ['/members/'], passwords: { aa: 'one' } },
      walk: { covers: ['/events#walk'], passwords: { bb: 'two' } },
      trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
    },
    {},
  );
  return (await testGuard(readPolicyOrThrow(text, 'test'), { clock: () => Date.now() / 1000 })).guard;
}

/** An application with a guard before what `add` adds. */
async function guarded(add: (app: FastifyInstance) => unknown, options: FastifyServerOptions = {}) {
  const app = fastify(options);
  await app.register(guardFastify, { guard: await guardOf() });
  await add(app);
  return app;
}

async function cookieOf(app: FastifyInstance): Promise<string> {
  const { headers, statusCode } = await app.inject({
    method: 'POST',
    url: '/_dorlin/unlock',
    headers: { 'content-type': 'application/x-www-form-urlencoded' },
    payload: 'lock=members&password=one',
  });
  assert.equal(statusCode, 303);
  return [headers['set-cookie'] ?? []]
    .flat()
    .map((line) => line.split(';', 1)[0])
    .join('; ');
}

describe('in Fastify', () => {
  test('routes, plugins and what is not found are all guarded, by `inject` too', async () => {
    const app = await guarded((one) => {
      one.get('/members/log', () => 'log');
      one.get('/about', () => 'about');
      one.register(
        (inner, _options, done) => {
          inner.get('/deep', () => 'deep');
          done();
        },
        { prefix: '/members' },
      );
    });
    const statuses = [];
    for (const url of [
      '/about',
      '/members/log',
      '/members/deep',
      '/members/nowhere',
      '/nowhere',
      '/MEMBERS/%6cog',
      '/members//log',
    ])
      statuses.push((await app.inject(url)).statusCode);
    assert.deepEqual(statuses, [200, 403, 403, 403, 404, 403, 403]);
    const cookie = await cookieOf(app);
    const log = await app.inject({ url: '/members/%6cog', headers: { cookie } });
    assert.deepEqual([log.statusCode, log.body, log.headers['cache-control']], [200, 'log', 'private, no-store']);
    await app.close();
  });
  test('hooks of others run, their headers are kept, and what the guard forces counts', async () => {
    const seen: string[] = [];
    const app = await guarded((one) => {
      one.addHook('onRequest', (_request, _reply, done) => {
        seen.push('onRequest');
        done();
      });
      one.addHook('onSend', (_request, reply, payload, done) => {
        seen.push('onSend');
        reply.header('cache-control', 'public, max-age=99').header('x-kept', '1').header('vary', 'Origin');
        done(null, payload);
      });
      one.addHook('onResponse', (_request, _reply, done) => {
        seen.push('onResponse');
        done();
      });
      one.get('/members/log', () => 'log');
      one.get('/events', (_request, reply) => reply.type('text/html').send(page));
    });
    const shut = await app.inject('/members/log');
    assert.equal(shut.statusCode, 403);
    // The screen's headers are the guard's alone.
    assert.deepEqual([shut.headers['cache-control'], shut.headers['x-kept']], ['no-store', undefined]);
    seen.length = 0;
    const open = await app.inject({ url: '/members/log', headers: { cookie: await cookieOf(app) } });
    assert.deepEqual(
      [open.headers['cache-control'], open.headers['x-kept'], open.headers.vary],
      ['private, no-store', '1', 'Origin, Cookie'],
    );
    assert.ok(
      ['onRequest', 'onSend', 'onResponse'].every((name) => seen.includes(name)),
      seen.join(),
    );
    const cut = await app.inject('/events');
    assert.doesNotMatch(cut.body, /secret meeting/);
    assert.equal(Number(cut.headers['content-length']), Buffer.byteLength(cut.body));
    const head = await app.inject({ method: 'HEAD', url: '/events' });
    assert.deepEqual([head.statusCode, head.headers['content-length']], [200, undefined]);
    await app.close();
  });
  test('streams are streams, and those of pages are held and cut', async () => {
    const app = await guarded((one) => {
      one.get('/film', (_request, reply) => reply.type('video/mp4').send(Readable.from(['fi', 'lm'])));
      one.get('/events', (_request, reply) =>
        reply.type('text/html').send(Readable.from([page.slice(0, 60), page.slice(60)])),
      );
    });
    assert.equal((await app.inject('/film')).body, 'film');
    const cut = (await app.inject('/events')).body;
    assert.match(cut, /open/);
    assert.doesNotMatch(cut, /secret meeting/);
    await app.close();
  });
  test('a hidden place is what is not found', async () => {
    const app = await guarded((one) => {
      one.get('/trustees/minutes', () => 'papers');
      one.setNotFoundHandler((request, reply) => reply.code(404).type('text/plain').send(`none at ${request.url}`));
    });
    for (const [url, method] of [
      ['/trustees/minutes', 'GET'],
      ['/trustees/minutes', 'HEAD'],
      ['/trustees/%6dinutes', 'GET'],
    ] as const) {
      const { statusCode, body } = await app.inject({ url, method });
      assert.equal(statusCode, 404);
      assert.equal(body, method === 'HEAD' ? '' : 'none at /trustees/minutes');
    }
    await app.close();
  });
  test('an address that the server rewrites is judged twice: as it came, and as what it became', async () => {
    const app = await guarded(
      (one) => {
        one.get('/members/log', () => 'log');
        one.get('/open', () => 'open');
      },
      {
        rewriteUrl: ({ url }) =>
          url === '/short'
            ? '/members/log'
            : url === '/members/alias'
              ? '/open'
              : url === '/odd'
                ? '/%6fpen'
                : (url ?? '/'),
      },
    );
    assert.equal((await app.inject('/short')).statusCode, 403);
    assert.equal((await app.inject('/members/alias')).statusCode, 403);
    assert.equal((await app.inject('/open')).statusCode, 200);
    // What cannot be put into its normal form is not answered.
    assert.equal((await app.inject('/odd')).statusCode, 404);
    await app.close();
  });
  test('`request.opened` says what templates need', async () => {
    const app = await guarded((one) => {
      one.get('/menu', async (request) => ((await request.opened('members')) ? 'inside' : 'outside'));
      one.get('/wrong', (request) => request.opened('nobody'));
    });
    assert.equal((await app.inject('/menu')).body, 'outside');
    assert.equal((await app.inject({ url: '/menu', headers: { cookie: await cookieOf(app) } })).body, 'inside');
    assert.equal((await app.inject('/wrong')).statusCode, 500);
    await app.close();
  });
  test('in a scope of its own it guards what is in that scope, as plugins do', async () => {
    const app = fastify();
    const guard = await guardOf();
    await app.register(async (inner) => {
      await inner.register(guardFastify, { guard });
      inner.get('/members/log', () => 'log');
    });
    app.get('/members/outside', () => 'outside');
    assert.equal((await app.inject('/members/log')).statusCode, 403);
    assert.equal((await app.inject('/members/outside')).statusCode, 200);
    await app.close();
  });
  test('a WebSocket behind a lock is not opened', async () => {
    const app = await guarded(async (one) => {
      await one.register(websocket);
      for (const path of ['/members/live', '/live', '/events']) {
        one.get(path, { websocket: true }, (socket) => {
          socket.send('hello');
        });
      }
    });
    const at = (await app.listen({ port: 0, host: '127.0.0.1' })).replace('http', 'ws');
    const said = (path: string) =>
      new Promise<string>((resolve) => {
        const socket = new WebSocket(at + path);
        socket.on('message', (data: Buffer) => {
          resolve(data.toString());
          socket.close();
        });
        socket.on('unexpected-response', (_, answer) => {
          resolve(String(answer.statusCode));
        });
        socket.on('error', () => {
          resolve('error');
        });
      });
    assert.equal(await said('/live'), 'hello');
    assert.equal(await said('/members/live'), '403');
    assert.equal(await said('/events'), '403');
    assert.equal(await said('/MEMBERS/%6cive'), '403');
    await app.close();
  });
  test('HTTP/2, which the guard does not read, is refused at the start', async () => {
    const app = fastify({ http2: true });
    app.register(guardFastify as never, { guard: await guardOf() } as never);
    await assert.rejects(async () => app.ready(), { code: 'call-wrong' });
  });
});
