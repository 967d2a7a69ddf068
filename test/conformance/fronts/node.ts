import fastifyStatic from '@fastify/static';
import connect from 'connect';
import express from 'express';
import fastify from 'fastify';
import { Hono } from 'hono';
import { createServer, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { guardFetch, guardHono } from '../../../src/fetch.js';
import { guardFastify } from '../../../src/fastify.js';
import { guardFromFile, guardListener, guardMiddleware, type FileGuard } from '../../../src/node.js';
import { startSite } from '../../../src/server/site-server.js';
import { serveFetch } from '../../support/hono-server.js';
import type { Front, Ground, RunningFront } from '../front.js';
import { answerOf, pathOf } from '../site.js';

/** The site as a plain request listener. */
export const site: RequestListener = (request, response) => {
  const { status, type, body } = answerOf(pathOf(request.url ?? '/'));
  response.writeHead(status, { 'content-type': type, 'content-length': Buffer.byteLength(body) });
  response.end(body);
};

/** The site in fetch style. */
export const fetchSite = (request: Request): Response => {
  const { status, type, body } = answerOf(pathOf(request.url));
  return new Response(body, { status, headers: { 'content-type': type } });
};

/** Where a server came to listen. */
export const listening = (server: Server) =>
  new Promise<number>((resolve) => {
    server.listen(0, '127.0.0.1', () => {
      resolve((server.address() as AddressInfo).port);
    });
  });

async function served(server: Server, guard: FileGuard): Promise<RunningFront> {
  const port = await listening(server);
  return {
    port,
    close: async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
      await guard.close();
    },
  };
}

const listener = (name: string, make: (guard: FileGuard) => RequestListener): Front => ({
  name,
  start: async ({ policyFile }) => {
    const guard = await guardFromFile(policyFile);
    return served(createServer(make(guard)), guard);
  },
});

async function inFastify({ policyFile, folder }: Ground): Promise<RunningFront> {
  const guard = await guardFromFile(policyFile);
  const app = fastify();
  await app.register(guardFastify, { guard });
  await app.register(fastifyStatic, { root: join(folder, 'site'), extensions: ['html'], redirect: false });
  app.setNotFoundHandler((_request, reply) => {
    void reply.code(404).sendFile('404.html');
  });
  await app.listen({ port: 0, host: '127.0.0.1' });
  return {
    port: (app.server.address() as AddressInfo).port,
    close: async () => {
      app.server.closeAllConnections();
      await app.close();
      await guard.close();
    },
  };
}

const inHono = (
  name: string,
  fetchOf: (guard: FileGuard) => (request: Request, env: object) => Response | Promise<Response>,
): Front => ({
  name,
  start: async ({ policyFile }) => {
    const guard = await guardFromFile(policyFile);
    const { port, close } = await serveFetch(fetchOf(guard));
    return {
      port,
      close: async () => {
        await close();
        await guard.close();
      },
    };
  },
});

const honoSite = (app: Hono) => {
  app.all('*', (context) => {
    const { status } = answerOf(context.req.path);
    return status === 404 ? context.notFound() : fetchSite(context.req.raw);
  });
  app.notFound((context) => {
    const { type, body } = answerOf('/nowhere');
    return context.body(body, 404, { 'content-type': type });
  });
  return app;
};

/** Fronts that are code in Node. */
export const nodeFronts: readonly Front[] = [
  listener('node:http', (guard) => guardListener(guard, site)),
  listener('Connect 3', (guard) => connect().use(guardMiddleware(guard)).use(site)),
  listener('Express 5', (guard) => {
    const app = express();
    app.use(guardMiddleware(guard));
    app.use(site);
    return app as RequestListener;
  }),
  { name: 'Fastify 5', start: inFastify },
  inHono('fetch, Hono inside', (guard) => guardFetch(guard, honoSite(new Hono()).fetch)),
  inHono('Hono 4, as middleware', (guard) => {
    const app = new Hono();
    app.use(guardHono(guard));
    return honoSite(app).fetch;
  }),
  {
    name: 'dorlin serve',
    start: async ({ policyFile, folder }) => {
      const guard = await guardFromFile(policyFile);
      const source = { folder: join(folder, 'site') };
      return startSite({ guard, source, host: '127.0.0.1', port: 0, mayMove: false });
    },
  },
  {
    name: 'dorlin serve --to',
    start: async ({ policyFile }) => {
      const behind = createServer(site);
      const to = `http://127.0.0.1:${await listening(behind)}`;
      const guard = await guardFromFile(policyFile);
      const front = await startSite({ guard, source: { to }, host: '127.0.0.1', port: 0, mayMove: false });
      return {
        port: front.port,
        close: async () => {
          await front.close();
          behind.closeAllConnections();
          behind.close();
        },
      };
    },
  },
];
