// In Bun: `npm run bun -w examples/hono`.
/* global Bun */
import { makeApp } from './app.js';
import { file, policy } from './files.js';

const fetch = await makeApp(policy, file, process.env.DORLIN_SECRET);
const { port } = Bun.serve({ port: Number(process.env.PORT ?? 4315), hostname: '127.0.0.1', fetch });
console.log(`Hono in Bun, guarded: http://localhost:${port}/`);
