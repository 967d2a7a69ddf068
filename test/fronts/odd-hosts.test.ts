import assert from 'node:assert/strict';
import { describe, test } from 'node:test';
import { inDenoOrBun, inWorkerd } from '../conformance/fronts/programs.js';
import { policyText } from '../support/policies.js';
import { rawExchange } from '../support/raw-http.js';
import { lacksRuntime } from '../support/runtimes.js';
import { temporaryFolder } from '../support/sites.js';

const hosts = [
  ...['k.example\\members\\x?', 'k.example/members/x?', 'k.example\\members\\x#', 'k.example?', 'k.example#'],
  ...[
    '',
    '/',
    '//',
    '\\',
    'u@k.example',
    'k.example#',
    'k.example:80:',
    'k.example:x',
    '[::1',
    '%6b.example',
    'k example',
  ],
  ...['k.example/..', '/members/x?', '\\members\\x?', 'k.example%2fmembers%2fx', '@/members/x?', ':80/members/x?'],
];
const targets = [
  '/',
  '/?x',
  '/?x/members/x',
  '/?/members/x',
  '//members/x',
  '/\\members/x',
  '/about',
  'http://k.example/',
];

describe('no header Host leads a handler to another page than was judged', () => {
  for (const runtime of ['deno', 'bun', 'workerd'] as const) {
    test(runtime, { skip: lacksRuntime(runtime), timeout: 120_000 }, async () => {
      const { folder, remove } = await temporaryFolder();
      const locks = { members: { covers: ['/members/'], passwords: { aa: 'one' } } };
      const ground = { folder, policy: await policyText(locks, { hash: 'pbkdf2-sha512' }) };
      const entry = 'test/fronts/odd-hosts-entry.ts';
      const { port, close } = await (runtime === 'workerd'
        ? inWorkerd(ground, entry)
        : inDenoOrBun(ground, runtime, entry));
      try {
        const plain = await rawExchange(port, 'GET /about HTTP/1.1\r\nHost: k.example\r\nConnection: close\r\n\r\n');
        assert.match(plain, /an open page/);
        for (const host of hosts) {
          for (const target of targets) {
            const line = `GET ${target} HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n\r\n`;
            assert.doesNotMatch(
              await rawExchange(port, line).catch(() => ''),
              /CANARY/,
              JSON.stringify([host, target]),
            );
          }
        }
      } finally {
        await close();
        await remove();
      }
    });
  }
});
