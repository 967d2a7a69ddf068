// The guard before everything that Express serves: `npm start -w examples/express`.
import express from 'express';
import { fileURLToPath } from 'node:url';
import { guardFromFile, guardMiddleware } from 'dorlin/node';

const small = fileURLToPath(new URL('../small-site/', import.meta.url));
const guard = await guardFromFile(`${small}dorlin.yaml`); // follows the file's changes
const locked = guardMiddleware(guard);

const app = express();
app.use(locked); // before everything that serves what is locked
app.get('/hello', async (request, response) => {
  // What a template asks, to show the right menu.
  response.send((await locked.opened(request, 'members')) ? 'Hello, member.' : 'Hello, stranger.');
});
app.use(express.static(`${small}site`, { extensions: ['html'] }));
app.use((_request, response) => response.status(404).sendFile(`${small}site/404.html`));

const server = app.listen(Number(process.env.PORT ?? 4311), '127.0.0.1', () => {
  console.log(`Express, guarded: http://localhost:${server.address().port}/`);
});
