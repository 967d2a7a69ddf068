import { spawnSync } from 'node:child_process';
import { writeFile } from 'node:fs/promises';
import { createServer, type IncomingMessage, type RequestListener, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join, relative } from 'node:path';
import * as legacyUrl from 'node:url';
import { serveStatic } from '@hono/node-server/serve-static';
import fastifyStatic from '@fastify/static';
import connect from 'connect';
import express from 'express';
import express4 from 'express4';
import fastify, { type FastifyInstance, type FastifyServerOptions } from 'fastify';
import { Hono } from 'hono';
import findMyWay from 'find-my-way';
import findMyWay8 from 'find-my-way-8';
import sirv from 'sirv';
import { guardFastify } from '../../src/adapters/fastify.js';
import { guardFetch } from '../../src/adapters/fetch.js';
import { guardHono } from '../../src/adapters/hono.js';
import { guardListener, guardMiddleware } from '../../src/adapters/node.js';
import { startSite } from '../../src/server/site-server.js';
import { guardFromFile, type FileGuard } from '../../src/stores/file-guard.js';
import { inDenoOrBun, inWorkerd } from '../conformance/fronts/programs.js';
import { lacksRuntime, type Runtime } from '../support/runtimes.js';
import { answersAt, freePort, startProgram } from '../support/programs.js';
import { serveFetch } from '../support/hono-server.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { startAsking } from '../support/web-servers.js';
import { answerFromAddress, nameIn, whatwgPath } from './answer-from-address.js';
import { canaryOf } from './names.js';
import type { AttackedSite } from './site.js';

/** Something that serves the attacked site behind a guard. */
export interface Front {
  readonly port: number;
  readonly close: () => Promise<void>;
}

type Start = (site: AttackedSite, folder: string, guard: FileGuard) => Promise<Front>;

async function listening(listener: RequestListener): Promise<Front> {
  const server = createServer(listener).listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  return {
    port: (server.address() as AddressInfo).port,
    close: () =>
      new Promise((resolve) => {
        server.close(() => {
          resolve();
        });
        server.closeAllConnections();
      }),
  };
}

/** Answers with the file that a path names. */
function fromTable(pathOf: (url: string) => string): RequestListener {
  return (request, response) => {
    const name = nameIn(() => pathOf(request.url ?? '/'));
    if (name === undefined) response.writeHead(404).end('none');
    else response.writeHead(200, { 'content-type': 'text/html; charset=utf-8' }).end(canaryOf(name));
  };
}

// What programs out there still use is what is played here.
// eslint-disable-next-line @typescript-eslint/no-deprecated
const legacyPath = (url: string) => legacyUrl.parse(url).pathname ?? '/';

const behindProxy =
  (upstream: (site: AttackedSite, folder: string) => Promise<Front>): Start =>
  async (site, folder, guard) => {
    const behind = await upstream(site, folder);
    const front = await startSite({
      guard,
      source: { to: `http://127.0.0.1:${behind.port}` },
      host: '127.0.0.1',
      port: 0,
      mayMove: false,
    });
    return {
      port: front.port,
      close: async () => {
        await front.close();
        await behind.close();
      },
    };
  };

/** A program that serves a folder. */
async function program(command: string, args: readonly string[], port: number): Promise<Front> {
  const running = await startProgram(command, args, answersAt(port));
  return { port, close: running.end };
}

async function nginx(folder: string): Promise<Front> {
  const port = await freePort();
  const work = join(folder, '..');
  const file = join(work, 'nginx.conf');
  await writeFile(
    file,
    `daemon off; pid ${work}/nginx.pid; error_log /dev/null; worker_processes 1; user root;
events { worker_connections 256; }
http {
  access_log off; types { text/html html; } default_type application/octet-stream;
  client_body_temp_path ${work}/nginx-body; proxy_temp_path ${work}/nginx-proxy;
  fastcgi_temp_path ${work}/nginx-f; uwsgi_temp_path ${work}/nginx-u; scgi_temp_path ${work}/nginx-s;
  server { listen 127.0.0.1:${port}; root ${folder}; location / { try_files $uri $uri.html $uri/index.html =404; } }
}`,
  );
  return program('nginx', ['-c', file], port);
}

async function python(folder: string): Promise<Front> {
  const port = await freePort();
  const args = ['-m', 'http.server', String(port), '--bind', '127.0.0.1', '--directory', folder];
  return program('python3', args, port);
}

type Router = (request: IncomingMessage, response: ServerResponse) => unknown;

/** Each path of the site that a router is told, with the file that it answers by. */
const routesOf = (site: AttackedSite): [string, string][] =>
  site.names.flatMap((name) =>
    [...new Set([`/${name}`, `/${name.replace(/\.html$/, '').replace(/(^|\/)index$/, '')}`])].map(
      (path): [string, string] => [path, name],
    ),
  );

async function inFastify(
  guard: FileGuard,
  add: (app: FastifyInstance) => unknown,
  options: FastifyServerOptions['routerOptions'] = {},
): Promise<Front> {
  const app = fastify({ routerOptions: options });
  await app.register(guardFastify, { guard });
  await add(app);
  await app.listen({ port: 0, host: '127.0.0.1' });
  return {
    port: (app.server.address() as AddressInfo).port,
    close: async () => {
      app.server.closeAllConnections();
      await app.close();
    },
  };
}

const filesInHono = (folder: string, app: Hono) =>
  app.use(
    serveStatic({
      root: relative(process.cwd(), folder),
      rewriteRequestPath: (path) => (/\.\w+$/.test(path) ? path : `${path}.html`),
    }),
  );

function guardedHono(guard: FileGuard): Hono {
  const app = new Hono();
  app.use(guardHono(guard));
  return app;
}

/** In a runtime that is not Node, as the built package is bundled for it. */
const inRuntime =
  (start: typeof inWorkerd): Start =>
  (site, folder) =>
    start({ folder: join(folder, '..'), policy: site.text }, 'test/attack/runtime-entry.ts');

const asking = (server: 'nginx' | 'caddy', folder: string) =>
  startAsking(server, { folder: join(folder, '..'), policyFile: join(folder, '..', 'dorlin.yaml') });

/** A web server that asks, and hands on to an application: by itself, or through Dorlin, which may have to cut its pages. */
const askingBefore =
  (server: 'nginx' | 'caddy', pathOf: (url: string) => string, mayBeMarked = false): Start =>
  async (site, folder) => {
    const behind = await listening(fromTable(pathOf));
    const policyFile = join(folder, '..', 'behind.yaml');
    await writeFile(policyFile, mayBeMarked ? site.text : site.unmarked);
    const to = `http://127.0.0.1:${behind.port}`;
    const front = await startAsking(server, { folder: join(folder, '..'), policyFile, to });
    return {
      port: front.port,
      close: async () => {
        await front.close();
        await behind.close();
      },
    };
  };

/** The routes of the site in a router of Fastify, at its most lenient. */
function routed(site: AttackedSite, router: { on: unknown; lookup: unknown }): Router {
  const on = router.on as (method: string, path: string, handler: Router) => void;
  const send =
    (name: string): Router =>
    (_request, response) =>
      response.writeHead(200, { 'content-type': 'text/html' }).end(canaryOf(name));
  for (const [path, name] of routesOf(site)) on.call(router, 'GET', path, send(name));
  const lookup = router.lookup as Router;
  return (request, response) => lookup.call(router, request, response);
}

const lenient = {
  ignoreTrailingSlash: true,
  ignoreDuplicateSlashes: true,
  caseSensitive: false,
  useSemicolonDelimiter: true,
  defaultRoute: ((_request: IncomingMessage, response: ServerResponse) => response.writeHead(404).end('none')) as never,
};

/** Every program that was put behind the guard, and how. */
export const fronts: Readonly<Record<string, Start>> = {
  folder: (_site, folder, guard) =>
    startSite({ guard, source: { folder }, host: '127.0.0.1', port: 0, mayMove: false }),
  'proxy before WHATWG URL': behindProxy(() => listening(fromTable(whatwgPath))),
  'proxy before url.parse': behindProxy(() => listening(fromTable(legacyPath))),
  'proxy before Python http.server': behindProxy((_site, folder) => python(folder)),
  'proxy before nginx': behindProxy((_site, folder) => nginx(folder)),
  'Express 5': (_site, folder, guard) => {
    const app = express().use(guardMiddleware(guard));
    return listening(app.use(express.static(folder, { extensions: ['html'] })) as RequestListener);
  },
  'Express 4': (_site, folder, guard) => {
    const app = express4().use(guardMiddleware(guard));
    return listening(app.use(express4.static(folder, { extensions: ['html'] })) as RequestListener);
  },
  Connect: (_site, folder, guard) => {
    const files = sirv(folder, { dev: true });
    const app = connect().use(guardMiddleware(guard)).use(files) as RequestListener;
    // Connect parses addresses by itself before it asks any middleware, and throws at some.
    return listening((request, response) => {
      try {
        app(request, response);
      } catch {
        response.writeHead(400).end('bad');
      }
    });
  },
  'Connect behind the guard': (_site, folder, guard) =>
    listening(guardListener(guard, connect().use(sirv(folder, { dev: true })))),
  'plain listener, WHATWG URL': (_site, _folder, guard) => listening(guardListener(guard, fromTable(whatwgPath))),
  'plain listener, url.parse': (_site, _folder, guard) => listening(guardListener(guard, fromTable(legacyPath))),
  'Fastify 5': async (_site, folder, guard) =>
    inFastify(guard, (app) => app.register(fastifyStatic, { root: folder, extensions: ['html'] })),
  'Fastify 5 at its most lenient': async (site, _folder, guard) =>
    inFastify(
      guard,
      (app) => {
        for (const [path, name] of routesOf(site))
          app.get(path, (_request, reply) => reply.type('text/html').send(canaryOf(name)));
      },
      {
        ignoreTrailingSlash: true,
        ignoreDuplicateSlashes: true,
        caseSensitive: false,
        useSemicolonDelimiter: true,
      } as FastifyServerOptions['routerOptions'],
    ),
  'fetch, with Hono and files': (_site, folder, guard) =>
    serveFetch(guardFetch(guard, filesInHono(folder, new Hono()).fetch)),
  'fetch, WHATWG URL': (_site, _folder, guard) => serveFetch(guardFetch(guard, answerFromAddress)),
  'Hono, as middleware': (_site, folder, guard) => serveFetch(filesInHono(folder, guardedHono(guard)).fetch),
  'Hono with routes, as middleware': (site, _folder, guard) => {
    const app = guardedHono(guard);
    for (const [path, name] of routesOf(site)) app.get(path, (context) => context.html(canaryOf(name)));
    return serveFetch(app.fetch);
  },
  Deno: inRuntime((ground, entry) => inDenoOrBun(ground, 'deno', entry)),
  Bun: inRuntime((ground, entry) => inDenoOrBun(ground, 'bun', entry)),
  workerd: inRuntime(inWorkerd),
  'nginx that asks': (_site, folder) => asking('nginx', folder),
  'Caddy that asks': (_site, folder) => asking('caddy', folder),
  'nginx that asks, before WHATWG URL': askingBefore('nginx', whatwgPath),
  'nginx that asks, before url.parse': askingBefore('nginx', legacyPath),
  'nginx that asks, before pages with marks': askingBefore('nginx', legacyPath, true),
  'Caddy that asks, before WHATWG URL': askingBefore('caddy', whatwgPath),
  'Caddy that asks, before url.parse': askingBefore('caddy', legacyPath),
  'Caddy that asks, before pages with marks': askingBefore('caddy', legacyPath, true),
  'router of Fastify 5': (site, _folder, guard) => listening(guardListener(guard, routed(site, findMyWay(lenient)))),
  'router of Fastify 4': (site, _folder, guard) => listening(guardListener(guard, routed(site, findMyWay8(lenient)))),
};

/** What a front needs on this machine, where that is a program. */
const programs: Readonly<Record<string, string>> = {
  'proxy before Python http.server': 'python3',
  'proxy before nginx': 'nginx',
  'nginx that asks': 'nginx',
  'Caddy that asks': 'caddy',
};

const runtimes: Readonly<Record<string, Runtime>> = { Deno: 'deno', Bun: 'bun', workerd: 'workerd' };

/** The program that a front needs and that is not here. */
export function missingProgram(front: string): string | undefined {
  const runtime = runtimes[front];
  if (runtime !== undefined) return lacksRuntime(runtime) === false ? undefined : front;
  const name = programs[front] ?? programs[front.replace(/, before.*/, '')];
  if (name === undefined) return undefined;
  return spawnSync('sh', ['-c', `command -v ${name}`]).status === 0 ? undefined : name;
}

/** Starts a front over files and policy of its own. */
export async function startFront(name: string, site: AttackedSite): Promise<Front> {
  const start = fronts[name];
  if (start === undefined) throw new Error(`there is no front ${name}`);
  const { folder, remove } = await temporaryFolder();
  const files = Object.entries(site.files).map(([path, content]) => [`site/${path}`, content]);
  await writeFiles(folder, {
    ...(Object.fromEntries(files) as Record<string, string>),
    'dorlin.yaml': site.text,
  });
  const guard = await guardFromFile(join(folder, 'dorlin.yaml'));
  const front = await start(site, join(folder, 'site'), guard);
  return {
    port: front.port,
    close: async () => {
      await front.close();
      await guard.close();
      await remove();
    },
  };
}
