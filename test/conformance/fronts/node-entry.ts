/** What runs in other lines of Node: the built package before the site. */
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { guardFromFile, guardListener } from 'dorlin/node';
import { answerOf, pathOf } from '../site.js';

const guard = await guardFromFile(process.argv[2] ?? '');
const server = createServer(
  guardListener(guard, (request, response) => {
    const { status, type, body } = answerOf(pathOf(request.url ?? '/'));
    response.writeHead(status, { 'content-type': type }).end(body);
  }),
);
server.listen(0, '127.0.0.1', () => {
  console.log(`listening at ${(server.address() as AddressInfo).port}`);
});
