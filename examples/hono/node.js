// In Node: `npm start -w examples/hono`.
import { serve } from '@hono/node-server';
import { makeApp } from './app.js';
import { file, policy } from './files.js';

const fetch = await makeApp(policy, file, process.env.DORLIN_SECRET);
serve({ fetch, port: Number(process.env.PORT ?? 4313), hostname: '127.0.0.1' }, ({ port }) => {
  console.log(`Hono in Node, guarded: http://localhost:${port}/`);
});
