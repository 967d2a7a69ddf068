/**
 * One kind of server in a process of its own, on connections in memory: what is left is what Node's
 * http and the guard take of the processor. Prints the seconds for so many requests, each time that
 * it is sent a line.
 */
import { createServer, type RequestListener } from 'node:http';
import { randomBytes } from 'node:crypto';
import sirv from 'sirv';
import { driveByLines } from './memory-socket.js';
import { GuardedResponse } from '../src/adapters/taken-answer.js';
import { guardListener } from '../src/adapters/node.js';
import { deriveKeys } from '../src/core/passes/keys.js';
import { audienceOf, newPass, packPasses } from '../src/core/passes/pass.js';
import { createGuard } from '../src/guard/guard.js';
import { memoryCounters } from '../src/stores/counters-memory.js';
import { testPolicy } from '../test/support/policies.js';
import { temporaryFolder, writeFiles } from '../test/support/sites.js';

const kind = process.argv[2] ?? 'bare';
const { folder } = await temporaryFolder();
const page = `<!doctype html><title>A page</title><p>${'A page of ordinary length. '.repeat(300)}</p>`;
await writeFiles(folder, { 'about.html': page, 'members/log.html': page });
const files = sirv(folder, { etag: true });
const site: RequestListener = (request, response) => {
  files(request, response, () => {
    response.writeHead(404).end();
  });
};
const policy = await testPolicy(
  { members: { covers: ['/members/'], remember: '30 days', passwords: { aa: 'one' } } },
  kind === 'unmarked' ? { marks: false } : {},
);
const keys = await deriveKeys('a secret for the bench and long enough');
const guard = createGuard({
  policyFor: () => policy,
  keys,
  hasher: () => Promise.reject(new Error('not here')),
  verifier: () => Promise.reject(new Error('not here')),
  counters: memoryCounters(),
  linkUses: { take: () => Promise.resolve(false) },
  random: randomBytes,
  clock: () => Date.now() / 1000,
});
const lock = policy.locks.get('members');
const [opener] = lock?.openers.values() ?? [];
if (lock === undefined || opener === undefined) throw new Error('no lock');
const pass = newPass(lock, opener, Date.now() / 1000, undefined);
const cookie = `dorlin=${await packPasses([pass], audienceOf(policy.site), keys)}`;

const isLetIn = kind === 'let-in' || kind === 'bare-members';
const path = isLetIn ? '/members/log' : '/about';
const request = Buffer.from(
  `GET ${path} HTTP/1.1\r\nHost: site.example\r\nUser-Agent: bench\r\nAccept: text/html\r\nAccept-Encoding: gzip\r\nCookie: ${cookie}\r\n\r\n`,
);
const server = kind.startsWith('bare')
  ? createServer(site)
  : createServer({ ServerResponse: GuardedResponse }, guardListener(guard, site));
await driveByLines(server, request, 3000, kind);
