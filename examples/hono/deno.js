// In Deno: `npm run deno -w examples/hono`.
/* global Deno */
import { makeApp } from './app.js';
import { file, policy } from './files.js';

const fetch = await makeApp(policy, file, Deno.env.get('DORLIN_SECRET'));
const onListen = ({ port }) => console.log(`Hono in Deno, guarded: http://localhost:${port}/`);
Deno.serve({ port: Number(Deno.env.get('PORT') ?? 4314), hostname: '127.0.0.1', onListen }, fetch);
