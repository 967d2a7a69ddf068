import assert from 'node:assert/strict';
import { createServer, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { describe, test } from 'node:test';
import express from 'express';
import fastify from 'fastify';
import { Hono } from 'hono';
import { guardFastify } from '../../src/fastify.js';
import { guardFetch, guardHono } from '../../src/fetch.js';
import { guardListener, guardMiddleware } from '../../src/node.js';
import type { Guard } from '../../src/guard/guard.js';
import { testGuard } from '../support/guards.js';
import { serveFetch } from '../support/hono-server.js';
import { testPolicy } from '../support/policies.js';

const html = { 'content-type': 'text/html; charset=utf-8' };
const marked = '<!doctype html><p>open</p><p data-dorlin-lock="members">secret meeting</p>';

/** An application that says for itself who somebody is, in the very headers by which a proxy would. */
const posing: RequestListener = (request, response) => {
  request.headers['x-roles'] = 'warden';
  response.writeHead(200, html).end(marked);
};
const posingInFetch = (request: Request) => {
  request.headers.set('x-roles', 'warden');
  return new Response(marked, { headers: html });
};

interface Served {
  readonly port: number;
  readonly close: () => unknown;
}

async function listening(listener: RequestListener): Promise<Served> {
  const server = createServer(listener).listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  const close = () => {
    server.closeAllConnections();
    server.close();
  };
  return { port: (server.address() as AddressInfo).port, close };
}

const fronts: Readonly<Record<string, (guard: Guard) => Promise<Served>>> = {
  'node:http': (guard) => listening(guardListener(guard, posing)),
  Express: (guard) => listening(express().use(guardMiddleware(guard)).use(posing) as RequestListener),
  Fastify: async (guard) => {
    const app = fastify();
    await app.register(guardFastify, { guard });
    app.get('/notes', (request, reply) => {
      request.headers['x-roles'] = 'warden';
      void reply.headers(html).send(marked);
    });
    await app.listen({ port: 0, host: '127.0.0.1' });
    return { port: (app.server.address() as AddressInfo).port, close: () => app.close() };
  },
  fetch: (guard) => serveFetch(guardFetch(guard, posingInFetch)),
  Hono: (guard) => {
    const app = new Hono().use(guardHono(guard));
    app.get('/notes', (context) => posingInFetch(context.req.raw));
    return serveFetch(app.fetch);
  },
};

describe('what an application makes of a request tells nothing of the visitor', () => {
  for (const [name, start] of Object.entries(fronts)) {
    test(name, async () => {
      const policy = await testPolicy(
        { members: { covers: ['/members/'], passwords: { aa: 'one' }, bypass: ['wardens'] } },
        { trustedProxies: ['127.0.0.1/32', '::1/128'] },
        {
          bypasses: { wardens: { roles: ['warden'], ribbon: false } },
          identity: { header: { from: 'trustedProxies', person: 'X-User', roles: 'X-Roles' } },
        },
      );
      const { port, close } = await start((await testGuard(policy)).guard);
      try {
        const ask = async (headers: Record<string, string>) =>
          (await fetch(`http://127.0.0.1:${port}/notes`, { headers })).text();
        const stranger = await ask({});
        assert.match(stranger, /open/);
        assert.doesNotMatch(stranger, /secret meeting/);
        assert.match(await ask({ 'x-roles': 'warden' }), /secret meeting/);
      } finally {
        await close();
      }
    });
  }
});
