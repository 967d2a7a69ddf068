import assert from 'node:assert/strict';
import { createServer, type IncomingMessage, type RequestListener, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { describe, test } from 'node:test';
import connect from 'connect';
import express from 'express';
import express4 from 'express4';
import { guardListener, guardMiddleware } from '../../src/adapters/node.js';
import { testGuard } from '../support/guards.js';
import { testPolicy } from '../support/policies.js';
import { rawClient } from '../support/raw-http.js';

const policy = await testPolicy({
  members: { covers: ['/members/'], passwords: { aa: 'one' } },
  trustees: { covers: ['/trustees/'], outsiders: 'not-found' },
  walk: { covers: ['/events#walk'], passwords: { aa: 'two' } },
});
const { guard } = await testGuard(policy);

type Seen = IncomingMessage & { originalUrl?: string; baseUrl?: string };

/** An application that says which addresses it sees. */
const telling: RequestListener = (request: Seen, response) => {
  const { url = '', originalUrl = '', baseUrl = '' } = request;
  response.setHeader('content-type', 'application/json');
  response.end(JSON.stringify([url, originalUrl, baseUrl]));
};

async function answersOf(
  listener: RequestListener,
  requests: readonly (readonly [target: string, method?: string, headers?: Record<string, string>])[],
) {
  const server: Server = createServer(listener).listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  const client = rawClient((server.address() as AddressInfo).port);
  try {
    const answers = [];
    for (const [target, method, headers] of requests) {
      answers.push(await client.request(target, method, headers));
    }
    return answers;
  } finally {
    client.close();
    server.closeAllConnections();
    server.close();
  }
}

const statusesOf = async (listener: RequestListener, targets: readonly string[]) =>
  (
    await answersOf(
      listener,
      targets.map((target) => [target] as const),
    )
  ).map(({ status }) => status);

describe('an application sees what was judged, in every address that it may look at', () => {
  const targets: [string, string][] = [
    ['/about', '/about'],
    ['/%61bout?x=%41', '/about?x=A'],
    ['http://site.example/a%7eb', '/a~b'],
    ['HTTP://SITE.example:80/about?y', '/about?y'],
    ['/caf%c3%a9/"x"', '/caf%C3%A9/%22x%22'],
  ];
  for (const [name, application] of [
    ['a plain listener', guardListener(guard, telling)],
    [
      'Express 5',
      express()
        .use(guardMiddleware(guard))
        .use(telling as never),
    ],
    [
      'Express 4',
      express4()
        .use(guardMiddleware(guard))
        .use(telling as never),
    ],
    [
      'Connect',
      connect()
        .use(guardMiddleware(guard))
        .use(telling as never),
    ],
  ] as [string, RequestListener][]) {
    test(name, async () => {
      const answers = await answersOf(
        application,
        targets.map(([target]) => [target] as const),
      );
      for (const [at, [target, seen]] of targets.entries()) {
        const [url, originalUrl] = JSON.parse(answers[at]?.body ?? '[]') as string[];
        assert.equal(url, seen, target);
        if (originalUrl !== '') assert.equal(originalUrl, seen, target);
      }
    });
  }
});

describe('targets that name a host', () => {
  const whatwg: RequestListener = (request, response) => {
    response.end(new URL(request.url ?? '/', 'http://x').pathname);
  };
  const refused = [
    'http:///x/members/log.html',
    'https:///members/log.html',
    'http://%6dembers/log.html',
    'http://%2fmembers%2flog.html',
    'http://x:99999/',
    'http://[/',
    'http://a%/',
    'http://',
    'http://me@site.example/about',
    'ftp://site.example/about',
    'http://other.example/about',
  ];
  test('are refused where it is no plain one, or not the one that was asked', async () => {
    const statuses = await statusesOf(guardListener(guard, whatwg), refused);
    assert.deepEqual(
      statuses,
      refused.map(() => 400),
    );
    const ways = express()
      .use(guardMiddleware(guard))
      .use(whatwg as never) as RequestListener;
    assert.ok((await statusesOf(ways, refused)).every((status) => status >= 400));
  });
  test('two slashes at the start are read as a host as well', async () => {
    const targets = ['//members/members/log', '//x/members/log', '///x//y/members/'];
    assert.deepEqual(await statusesOf(guardListener(guard, whatwg), targets), [403, 403, 403]);
  });
});

describe('mounted under a prefix', () => {
  const warned = new Promise<Error & { code?: string }>((resolve) => {
    process.once('warning', resolve);
  });
  const inner = express
    .Router()
    .use(guardMiddleware(guard))
    .use(telling as never);
  const app = express()
    .use('/members', inner)
    .use('/visits', inner)
    .use('/caf%C3%A9', inner)
    .use('/:any', inner)
    .use(telling as never) as RequestListener;
  test('the whole address is judged, and its normal form put in its place', async () => {
    const [locked, open, encoded] = await answersOf(app, [['/members/log'], ['/visits/%6cog?x'], ['/caf%C3%A9/%61']]);
    assert.equal(locked?.status, 403);
    assert.deepEqual(JSON.parse(open?.body ?? ''), ['/log?x', '/visits/log?x', '/visits']);
    assert.deepEqual(JSON.parse(encoded?.body ?? ''), ['/a', '/caf%C3%A9/a', '/caf%C3%A9']);
  });
  test('what a router would put together otherwise is refused', async () => {
    const targets = ['http://site.example/members/log', 'http://site.example/visits/x', '/%76isits/x'];
    assert.deepEqual(await statusesOf(app, targets), [400, 400, 400]);
  });
  test('and it is said once that what is served elsewhere is not guarded', async () => {
    const { code, message } = await warned;
    assert.equal(code, 'DORLIN_MOUNTED');
    assert.match(message, /mounted at \/(?:members|visits)/);
  });
  test('so it is in Connect, which keeps no prefix', async () => {
    const mounted = connect()
      .use('/visits', guardMiddleware(guard) as never)
      .use(telling as never);
    const answers = await answersOf(mounted, [
      ['/visits/%6cog'],
      ['http://site.example/visits/x'],
      ['/visits/members/log'],
    ]);
    assert.deepEqual(JSON.parse(answers[0]?.body ?? ''), ['/visits/log', '/visits/log', '']);
    assert.equal(answers[1]?.status, 400);
    assert.equal(answers[2]?.status, 403, 'what is served at the inner address may be locked');
  });
});

describe('more than one guard in a chain', () => {
  const page = '<!doctype html><title>t</title><body><p id="walk">secret<p>rest';
  const pages: RequestListener = (_request, response) => {
    response.writeHead(200, ['content-type', 'text/html']);
    response.write(page.slice(0, 40));
    response.end(page.slice(40));
  };
  test('the same twice, and once more where the address is another: nothing ends, all is cut', async () => {
    const app = express()
      .use((request, _response, next) => {
        if (request.url === '/rewritten') request.url = '/events';
        if (request.url === '/events?as=open') request.url = '/open';
        next();
      })
      .use(guardMiddleware(guard), guardMiddleware(guard))
      .use(pages as never) as RequestListener;
    const answers = await answersOf(guardListener(guard, app), [
      ['/events'],
      ['/rewritten'],
      ['/events?as=open'],
      ['/about'],
      ['/members/log'],
    ]);
    assert.deepEqual(
      answers.map(({ status }) => status),
      [200, 200, 200, 200, 403],
    );
    for (const { body } of answers.slice(0, 3)) {
      assert.doesNotMatch(body, /secret/);
      assert.match(body, /rest/);
    }
    assert.ok(answers[3]?.body.includes(page));
  });
  test('a guard that comes when the page has been begun cuts it all the same', async () => {
    const late = express()
      .use(guardMiddleware(guard))
      .use((_request, response, next) => {
        response.writeHead(200, { 'content-type': 'text/html' });
        response.write(page.slice(0, 40));
        next();
      })
      .use(guardMiddleware(guard))
      .use((_request, response) => {
        response.end(page.slice(40));
      }) as RequestListener;
    const [answer] = await answersOf(late, [['/events']]);
    assert.doesNotMatch(answer?.body ?? 'secret', /secret/);
    assert.match(answer?.body ?? '', /rest/);
  });
  test('headers of the inner one are set, though the outer one holds the page', async () => {
    const two = await testGuard(await testPolicy({ all: { covers: ['/about'], passwords: { aa: 'x' } } }));
    const browser = two.browser();
    await browser.unlock('all', 'x');
    const cookie = [...browser.cookies].map(([name, { value }]) => `${name}=${value}`).join('; ');
    const listener = guardListener(guard, guardListener(two.guard, pages));
    const [answer] = await answersOf(listener, [['/about', 'GET', { cookie }]]);
    assert.ok(answer?.body.includes(page));
    assert.match(answer?.head ?? '', /^cache-control: private, no-store$/im);
  });
});

describe('what is hidden is answered as what is not there', () => {
  const app = (more: (app: express.Express) => void = () => undefined) => {
    const made = express().disable('etag').use(guardMiddleware(guard));
    more(made);
    return made as RequestListener;
  };
  const shape = ({ head, body }: { head: string; body: string }, path: string) =>
    (head.replace(/^date: .*$/im, '') + body).replaceAll(path, '…').replace(/^content-length: \d+/im, '');
  for (const method of ['GET', 'HEAD', 'POST', 'OPTIONS']) {
    test(`${method}: the application’s own words, about the address that was asked`, async () => {
      const paths = ["/trustees/it's&so", "/nowhere/it's&so"];
      const [hidden, none] = await answersOf(
        app(),
        paths.map((path) => [path, method] as const),
      );
      assert.equal(hidden?.status, 404);
      const said = (path: string) => path.replace("'", '&#39;').replace('&s', '&amp;s');
      assert.equal(shape(hidden, said(paths[0] ?? '')), shape(none!, said(paths[1] ?? '')));
      assert.doesNotMatch(hidden.head + hidden.body, /dorlin/i);
    });
  }
  test('a route that takes any address answers it as any other, and is told nothing of it', async () => {
    const reached: string[] = [];
    const any = app((it) => {
      it.get('/:a', (request, response) => {
        reached.push(request.url);
        response.send('anything');
      });
      it.get('/:a/:b', (request, response) => {
        reached.push(request.url);
        response.send('anything');
      });
    });
    const [answer, other] = await answersOf(any, [['/trustees/minutes'], ['/nowhere1/minutes']]);
    assert.deepEqual([answer?.status, answer?.body], [other?.status, other?.body]);
    assert.ok(reached.every((url) => !url.includes('trustees')));
  });
  test('as JSON and with its query, as some frameworks say it', async () => {
    const json = app((it) => {
      it.use((request, response) => {
        response.status(404).json({ message: `Route GET:${request.url} not found` });
      });
    });
    const [hidden] = await answersOf(json, [['/trustees/a?b=1']]);
    assert.equal(hidden?.body, '{"message":"Route GET:/trustees/a?b=1 not found"}');
  });
  test('packed, where the application packs', async () => {
    const { gzipSync } = await import('node:zlib');
    const packed: RequestListener = (request, response) => {
      const body = gzipSync(`no ${request.url ?? ''}`);
      response.writeHead(404, { 'content-type': 'text/plain', 'content-encoding': 'gzip' }).end(body);
    };
    const server = createServer(guardListener(guard, packed)).listen(0);
    const answer = await fetch(`http://127.0.0.1:${(server.address() as AddressInfo).port}/trustees/x`);
    assert.equal(await answer.text(), 'no /trustees/x');
    assert.equal(answer.headers.get('content-encoding'), 'gzip');
    server.close();
    server.closeAllConnections();
  });
});
