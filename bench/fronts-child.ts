/**
 * One framework in a process of its own, bare or guarded, on a connection in memory. Prints the seconds of
 * processor time for so many open pages, each time that it is sent a line.
 */
import { createAdaptorServer } from '@hono/node-server';
import { serveStatic } from '@hono/node-server/serve-static';
import fastifyStatic from '@fastify/static';
import connect from 'connect';
import express from 'express';
import fastify from 'fastify';
import { Hono } from 'hono';
import { etag } from 'hono/etag';
import { randomBytes } from 'node:crypto';
import { createServer, type RequestListener, type Server } from 'node:http';
import { relative } from 'node:path';
import { createInterface } from 'node:readline';
import sirv from 'sirv';
import { guardFastify } from '../src/adapters/fastify.js';
import { guardFetch } from '../src/adapters/fetch.js';
import { guardHono } from '../src/adapters/hono.js';
import { guardListener, guardMiddleware } from '../src/adapters/node.js';
import { deriveKeys } from '../src/core/passes/keys.js';
import { createGuard, type Guard } from '../src/guard/guard.js';
import { memoryCounters } from '../src/stores/counters-memory.js';
import { testPolicy } from '../test/support/policies.js';
import { temporaryFolder, writeFiles } from '../test/support/sites.js';
import { driveByLines } from './memory-socket.js';

const [, , framework = '', kind = 'bare', marks = 'marks'] = process.argv;
const { folder } = await temporaryFolder();
const page = `<!doctype html><title>A page</title><p>${'A page of ordinary length. '.repeat(300)}</p>`;
await writeFiles(folder, { 'about.html': page });
const policy = await testPolicy(
  { members: { covers: ['/members/'], passwords: { aa: 'one' } } },
  { marks: marks === 'marks' },
);
const guard: Guard | undefined =
  kind === 'bare'
    ? undefined
    : createGuard({
        policyFor: () => policy,
        keys: await deriveKeys('a secret for the bench and long enough'),
        hasher: () => Promise.reject(new Error('not here')),
        verifier: () => Promise.reject(new Error('not here')),
        counters: memoryCounters(),
        linkUses: { take: () => Promise.resolve(false) },
        random: randomBytes,
        clock: () => Date.now() / 1000,
      });

const files = sirv(folder, { etag: true });
const honoFiles = () => {
  const app = new Hono();
  if (framework.endsWith('ETag')) app.use(etag());
  if (guard !== undefined && framework === 'Hono, as middleware') app.use(guardHono(guard));
  return app.use(serveStatic({ root: relative(process.cwd(), folder) }));
};

const aroundHono = () => {
  const { fetch } = honoFiles();
  return createAdaptorServer({ fetch: guard === undefined ? fetch : guardFetch(guard, fetch) }) as Server;
};

const servers: Record<string, () => Server | Promise<Server>> = {
  'node:http': () => {
    const site: RequestListener = (request, response) => {
      files(request, response, () => {
        response.writeHead(404).end();
      });
    };
    return createServer(guard === undefined ? site : guardListener(guard, site));
  },
  'Connect 3': () => {
    const app = connect();
    if (guard !== undefined) app.use(guardMiddleware(guard));
    return createServer(app.use(files) as RequestListener);
  },
  'Express 5': () => {
    const app = express();
    if (guard !== undefined) app.use(guardMiddleware(guard));
    return createServer(app.use(express.static(folder)) as RequestListener);
  },
  'Fastify 5': async () => {
    const app = fastify();
    if (guard !== undefined) await app.register(guardFastify, { guard });
    await app.register(fastifyStatic, { root: folder });
    await app.ready();
    return app.server;
  },
  'fetch, around Hono': () => aroundHono(),
  'fetch, around Hono whose pages have an ETag': () => aroundHono(),
  'Hono, as middleware': () => createAdaptorServer({ fetch: honoFiles().fetch }) as Server,
};
if (framework === 'fetch alone' && guard !== undefined) {
  const guarded = guardFetch(guard, () => new Response(page, { headers: { 'content-type': 'text/html' } }));
  for await (const line of createInterface(process.stdin)) {
    for (let count = 0; count < Number(line); count++) {
      // Each from somewhere else, to somewhere else, with a cookie that nobody knows.
      const headers = { cookie: `dorlin=x${count}`, accept: 'text/html' };
      const path = count % 50 === 0 ? `members/${count}` : `open/${count}`;
      await (await guarded(new Request(`https://site.example/${path}`, { headers }))).arrayBuffer();
    }
    global.gc?.();
    console.log(process.memoryUsage().rss / 1e6);
  }
}
const make = servers[framework];
if (make === undefined) throw new Error(`no ${framework}`);
const server = await make();
const request = Buffer.from(
  'GET /about.html HTTP/1.1\r\nHost: site.example\r\nUser-Agent: bench\r\nAccept: text/html\r\nAccept-Encoding: gzip, deflate, br, zstd\r\nAccept-Language: en\r\n\r\n',
);
await driveByLines(server, request, 2000, `${framework} ${kind}`);
