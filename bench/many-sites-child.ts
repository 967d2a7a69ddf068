/** Serves an open page behind a guard of one site and behind one of every site, of the same Redis. */
import { createServer, type RequestListener } from 'node:http';
import type { AddressInfo } from 'node:net';
import { once } from 'node:events';
import { Redis } from 'ioredis';
import { guardListener } from '../src/adapters/node.js';
import { guardFromRedis, guardsFromRedis } from '../src/stores/redis/stores.js';

const page: RequestListener = (_, response) => {
  response.writeHead(200, { 'content-type': 'text/plain' }).end('open');
};
const client = new Redis(process.argv[2] ?? '');
const serve = async (listener: RequestListener) => {
  const server = createServer(listener).listen(0, '127.0.0.1');
  await once(server, 'listening');
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
};
const one = await serve(guardListener(await guardFromRedis(client, 'site-7'), page));
const every = await serve(guardListener(await guardsFromRedis(client), page));
const spent = await serve((_, response) => {
  const { user, system } = process.cpuUsage();
  response.end(String((user + system) / 1e6));
});
console.log(JSON.stringify({ one, every, spent }));
