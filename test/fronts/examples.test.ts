import assert from 'node:assert/strict';
import { dirname } from 'node:path';
import { describe, test } from 'node:test';
import { freePort, lacksProgram, startProgram } from '../support/programs.js';
import { lacksRuntime, runtimePath } from '../support/runtimes.js';

interface Example {
  readonly words: readonly string[];
  readonly skip?: string | false;
  readonly env?: NodeJS.ProcessEnv;
  /** What its own page says to a stranger and to a member; null where it has none. @default that they are */
  readonly hello?: readonly [stranger: RegExp, member: RegExp] | null;
}

const onPath = (runtime: 'deno' | 'bun') => ({ PATH: `${dirname(runtimePath(runtime))}:${process.env['PATH'] ?? ''}` });

/** How each example is started, as the documents say. */
const examples: Readonly<Record<string, Example>> = {
  express: { words: ['start', '-w', 'examples/express'] },
  fastify: { words: ['start', '-w', 'examples/fastify'] },
  hono: { words: ['start', '-w', 'examples/hono'] },
  'hono in Deno': { words: ['run', 'deno', '-w', 'examples/hono'], skip: lacksRuntime('deno'), env: onPath('deno') },
  'hono in Bun': { words: ['run', 'bun', '-w', 'examples/hono'], skip: lacksRuntime('bun'), env: onPath('bun') },
  worker: {
    words: ['start', '-w', 'examples/worker'],
    skip: lacksRuntime('workerd'),
    env: { WORKERD: runtimePath('workerd') },
  },
  nginx: { words: ['start', '-w', 'examples/nginx'], skip: lacksProgram('nginx'), hello: null },
  caddy: { words: ['start', '-w', 'examples/caddy'], skip: lacksProgram('caddy'), hello: null },
  // It is not asked what is open, and is told where visitors come from.
  proxy: {
    words: ['start', '-w', 'examples/proxy'],
    skip: lacksProgram('python3'),
    hello: [/Hello, (?:127\.0\.0\.1|::1), it is \d\d:\d\d UTC/, /Hello/],
  },
};

describe('each example runs by one command, and its locks hold', () => {
  for (const [name, { words, skip = false, env = {}, hello = [/stranger/, /member/] }] of Object.entries(examples)) {
    test(name, { skip, timeout: 60_000 }, async () => {
      const port = await freePort();
      const at = `http://localhost:${port}`;
      const running = await startProgram(
        'npm',
        ['--silent', ...words],
        async (said) =>
          said.includes(`localhost:${port}`) &&
          (await fetch(at).then(
            ({ ok }) => ok,
            () => false,
          )),
        { ...process.env, ...env, PORT: String(port), ASKS: String(await freePort()) },
      );
      try {
        const get = async (path: string, cookie = '') => {
          const answer = await fetch(at + path, { headers: { accept: 'text/html', cookie } });
          return { status: answer.status, text: await answer.text() };
        };
        assert.match((await get('/')).text, /Public nights/);
        const shut = await get('/members/log');
        assert.equal(shut.status, 403);
        assert.doesNotMatch(shut.text, /Saturn/);
        const events = (await get('/events')).text;
        assert.match(events, /The night walk/);
        assert.doesNotMatch(events, /below the old dome/);
        assert.equal((await get('/nowhere')).status, 404);
        const body = new URLSearchParams({
          lock: 'members',
          password: 'amber kestrel over the moor',
          to: '/members/log',
        });
        const opened = await fetch(`${at}/_dorlin/unlock`, { method: 'POST', body, redirect: 'manual' });
        assert.deepEqual([opened.status, opened.headers.get('location')], [303, '/members/log']);
        const cookie = opened.headers
          .getSetCookie()
          .map((line) => line.split(';', 1)[0])
          .join('; ');
        assert.match((await get('/members/log', cookie)).text, /Saturn/);
        if (hello === null) return;
        assert.match((await get('/hello')).text, hello[0]);
        assert.match((await get('/hello', cookie)).text, hello[1]);
      } finally {
        await running.end();
      }
    });
  }
});
