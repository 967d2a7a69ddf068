// The guard as a plugin, registered first: `npm start -w examples/fastify`.
import fastifyStatic from '@fastify/static';
import fastify from 'fastify';
import { fileURLToPath } from 'node:url';
import { guardFastify } from 'dorlin/fastify';
import { guardFromFile } from 'dorlin/node';

const small = fileURLToPath(new URL('../small-site/', import.meta.url));
const guard = await guardFromFile(`${small}dorlin.yaml`); // follows the file's changes

const app = fastify();
await app.register(guardFastify, { guard }); // first, at the root: it guards all that follows
app.get('/hello', async (request) => ((await request.opened('members')) ? 'Hello, member.' : 'Hello, stranger.'));
await app.register(fastifyStatic, { root: `${small}site`, extensions: ['html'], redirect: true });
app.setNotFoundHandler((_request, reply) => reply.code(404).sendFile('404.html'));

const address = await app.listen({ port: Number(process.env.PORT ?? 4312), host: '127.0.0.1' });
console.log(`Fastify, guarded: ${address.replace('127.0.0.1', 'localhost')}/`);
