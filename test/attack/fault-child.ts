/** A process with sites of every kind, to be attacked: whether it lives is what is looked at. */
import { createServer, type RequestListener } from 'node:http';
import { createServer as createRawServer, type AddressInfo, type Socket } from 'node:net';
import { join } from 'node:path';
import connect from 'connect';
import express from 'express';
import { guardListener, guardMiddleware } from '../../src/adapters/node.js';
import { startSite } from '../../src/server/site-server.js';
import { guardFromFile } from '../../src/stores/file-guard.js';

const [folder = ''] = process.argv.slice(2);
const guard = await guardFromFile(join(folder, 'dorlin.yaml'));
const where = { guard, host: '127.0.0.1', port: 0, mayMove: false } as const;

/** A server that breaks off in every way there is, as its address says. */
const dying = createRawServer((socket: Socket) => {
  socket.on('error', () => undefined);
  socket.once('data', (data) => {
    const way = Number(/^\w+ \/way(\d+)/.exec(data.toString('latin1'))?.[1] ?? 0) % broken.length;
    broken[way]?.(socket);
  });
});
const head = 'HTTP/1.1 200 OK\r\ncontent-type: text/html\r\n';
const broken: readonly ((socket: Socket) => unknown)[] = [
  (socket) => socket.end(`${head}content-length: 5\r\n\r\nhello`),
  (socket) => socket.destroy(),
  (socket) => socket.resetAndDestroy(),
  (socket) => socket.end('HTTP/1.1 20'),
  (socket) => socket.end(head),
  (socket) => socket.end(`${head}content-length: 500\r\n\r\nhello`),
  (socket) => socket.end(`${head}transfer-encoding: chunked\r\n\r\n5\r\nhel`),
  (socket) => {
    socket.write(`${head}content-length: 500\r\n\r\nhello`);
    setTimeout(() => socket.resetAndDestroy(), 5);
  },
  (socket) => socket.end(`${head}content-length: 5\r\ntransfer-encoding: chunked\r\n\r\n0\r\n\r\n`),
  (socket) => socket.end(`${head}content-length: 5\r\ncontent-length: 6\r\n\r\nhello!`),
  (socket) => socket.end('HTTP/1.1 101 Switching Protocols\r\nconnection: upgrade\r\nupgrade: x\r\n\r\nhi'),
  (socket) =>
    socket.end(
      `HTTP/1.1 100 Continue\r\n\r\n${'HTTP/1.1 103 Early Hints\r\nlink: </x>\r\n\r\n'.repeat(50)}${head}content-length: 1\r\n\r\nx`,
    ),
  (socket) => socket.end('\0\x01\x02 garbage'),
  (socket) => socket.end(`${head}${'x-header: y\r\n'.repeat(5000)}\r\n`),
  (socket) => socket.end(`${head}content-encoding: gzip\r\ncontent-length: 4\r\n\r\nnope`),
  (socket) => socket.end('HTTP/1.1 200 \x01\xff\r\ncontent-length: 0\r\n\r\n'),
  (socket) => socket.end(`HTTP/1.1 204 No Content\r\ncontent-length: 5\r\n\r\nhello`),
  (socket) => socket.end(`HTTP/1.1 304 Not Modified\r\netag: "x"\r\n\r\n`),
  (socket) => socket.end('HTTP/1.1 999 Odd\r\ncontent-length: 0\r\n\r\n'),
  (socket) => socket.end(`${head}bad header\r\n\r\n`),
];
await new Promise<void>((resolve) => {
  dying.listen(0, '127.0.0.1', resolve);
});

const files = await startSite({ ...where, source: { folder: join(folder, 'site') } });
const proxy = await startSite({
  ...where,
  source: { to: `http://127.0.0.1:${(dying.address() as AddressInfo).port}` },
});
/** The guard more than once in a chain, and addresses rewritten before it. */
const chained = express()
  .use((request, _response, next) => {
    if (request.url === '/rewritten') request.url = '/about.html';
    next();
  })
  .use(guardMiddleware(guard))
  .use(guardMiddleware(guard))
  .use('/members', guardMiddleware(guard))
  .use(express.static(join(folder, 'site'), { extensions: ['html'] }));
const mounted = connect()
  .use('/members', guardMiddleware(guard) as never)
  .use(guardMiddleware(guard) as never)
  .use((_request, response) => {
    response.setHeader('content-type', 'text/html');
    response.write('<p id="walk">one');
    response.end('two</p>');
  });
const own = [guardListener(guard, chained as RequestListener), guardListener(guard, mounted as RequestListener)].map(
  (listener) => createServer(listener).listen(0, '127.0.0.1'),
);
await Promise.all(own.map((server) => new Promise((resolve) => server.once('listening', resolve))));
process.send?.({
  ports: {
    files: files.port,
    proxy: proxy.port,
    chained: (own[0]?.address() as AddressInfo).port,
    mounted: (own[1]?.address() as AddressInfo).port,
  },
});
process.on('message', () => {
  globalThis.gc?.();
  process.send?.({ megabytes: process.memoryUsage().heapUsed / 2 ** 20 });
});
