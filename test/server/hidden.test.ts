import assert from 'node:assert/strict';
import { createServer, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { after, describe, test } from 'node:test';
import { guardListener } from '../../src/adapters/node.js';
import { guardFetch } from '../../src/adapters/fetch.js';
import { startSite } from '../../src/server/site-server.js';
import { guardFromFile } from '../../src/stores/file-guard.js';
import { testGuard } from '../support/guards.js';
import { serveFetch } from '../support/hono-server.js';
import { policyText, testPolicy } from '../support/policies.js';
import { rawExchange } from '../support/raw-http.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';

const ends: (() => unknown)[] = [];
after(async () => {
  for (const end of ends.reverse()) await end();
});

const locks = {
  hidden: {
    covers: ['/fr/secret-club/', '/api/v1/ledger', '/plan.pdf', '/shop/hidden-item'],
    outsiders: 'not-found',
    passwords: { aa: 'one' },
  },
  members: { covers: ['/members/'], passwords: { bb: 'two' } },
};

/** What an application says of an address where there is nothing: by folder, by kind, by slash. */
function sayMissing(path: string): {
  status: number;
  type: string;
  location?: string;
  body: string;
  isStreamed?: true;
} {
  if (path.startsWith('/fr/')) return { status: 404, type: 'text/html', body: `<h1>Introuvable</h1><p>${path}</p>` };
  if (path.startsWith('/api/'))
    return { status: 404, type: 'application/json', body: JSON.stringify({ error: 'none', path }), isStreamed: true };
  if (path.startsWith('/shop/') && path.endsWith('/'))
    return {
      status: 301,
      type: 'text/html',
      location: path.slice(0, -1),
      body: `<a href="${path.slice(0, -1)}">here</a>`,
    };
  if (path.startsWith('/shop/')) return { status: 410, type: 'text/plain', body: 'no such item' };
  return { status: 404, type: 'text/html', body: '<h1>Nothing here</h1>' };
}

const application: RequestListener = (request, response) => {
  const path = (request.url ?? '/').split('?', 1)[0] ?? '/';
  const { status, type, location, body, isStreamed } = sayMissing(path);
  response.writeHead(status, { 'content-type': type, ...(location !== undefined && { location }) });
  if (isStreamed !== true) response.end(body);
  else {
    response.write(body.slice(0, 5));
    response.end(body.slice(5));
  }
};

const listening = async (listener: RequestListener) => {
  const server = createServer(listener).listen(0, '127.0.0.1');
  ends.push(() => server.close());
  await new Promise((resolve) => server.once('listening', resolve));
  return (server.address() as AddressInfo).port;
};

const starts: Readonly<Record<string, () => Promise<number>>> = {
  'in an application': async () => {
    const { guard } = await testGuard(await testPolicy(locks));
    return listening(guardListener(guard, application));
  },
  'before an application': async () => {
    const { folder, remove } = await temporaryFolder();
    ends.push(remove);
    await writeFiles(folder, { 'dorlin.yaml': await policyText(locks) });
    const site = await startSite({
      guard: await guardFromFile(join(folder, 'dorlin.yaml')),
      source: { to: `http://127.0.0.1:${await listening(application)}` },
      host: '127.0.0.1',
      port: 0,
      mayMove: false,
    });
    ends.push(() => site.close());
    return site.port;
  },
  'around a handler of fetch style': async () => {
    const { guard } = await testGuard(await testPolicy(locks));
    const handler = (request: Request) => {
      const { status, type, location, body } = sayMissing(new URL(request.url).pathname);
      const headers = { 'content-type': type, ...(location !== undefined && { location }) };
      return new Response(body, { status, headers });
    };
    const served = await serveFetch(guardFetch(guard, handler));
    ends.push(served.close);
    return served.port;
  },
};

/** An address that is hidden, and one of the same shape where there is nothing. */
const pairs = [
  ['/fr/secret-club/', '/fr/nosuch-page/'],
  ['/fr/secret-club', '/fr/nosuch-page'],
  ['/fr/secret-club/notes/1', '/fr/nosuch-page/notes/1'],
  ['/fr/secret-club/notes.html?x=1', '/fr/nosuch-page/notes.html?x=1'],
  ['/api/v1/ledger', '/api/v1/orders'],
  ['/plan.pdf', '/none.pdf'],
  ['/shop/hidden-item', '/shop/absent-item'],
  ['/shop/hidden-item/', '/shop/absent-item/'],
] as const;

describe('a hidden place cannot be told from an address where there is nothing, whatever the application makes of that', () => {
  for (const [where, start] of Object.entries(starts)) {
    test(where, async () => {
      const port = await start();
      for (const [hidden, nothing] of pairs) {
        for (const method of ['GET', 'HEAD', 'POST']) {
          const shapeOf = async (target: string) => {
            const length = method === 'POST' ? 'Content-Length: 0\r\n' : '';
            const answer = await rawExchange(
              port,
              `${method} ${target} HTTP/1.1\r\nHost: site.example\r\n${length}Connection: close\r\n\r\n`,
            );
            const name = target
              .split('/')
              .find((part) => /secret|nosuch|ledger|orders|plan|none|hidden|absent|inner|outer/.test(part));
            const [, bare = ''] = /^([^.?]*)/.exec(name ?? '') ?? [];
            return answer
              .replace(/^date: .*\r\n/im, '')
              .replaceAll(bare, '{name}')
              .replace(/\r\n[0-9a-f]+\r\n/gi, '\r\n{chunk}\r\n');
          };
          // How the pieces of a stream are cut is not told apart: only whether it is one.
          const whole = (text: string) =>
            text.replace(/(?:\r\n\{chunk\}\r\n[^]*)/, (all) => all.replace(/\r\n\{chunk\}\r\n/g, ''));
          // In fetch style it is the runtime that puts headers into an order, and chooses how they are written.
          const sorted = (text: string) => (where.includes('fetch') ? text.toLowerCase().split('\r\n').sort() : text);
          const both = [whole(await shapeOf(hidden)), whole(await shapeOf(nothing))].map(sorted);
          assert.deepEqual(both[0], both[1], `${method} ${hidden}`);
        }
      }
    });
  }
});
