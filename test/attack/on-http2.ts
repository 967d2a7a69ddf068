import { connect, constants, type ClientHttp2Session, type OutgoingHttpHeaders } from 'node:http2';
import { join } from 'node:path';
import type { WebServer } from '../../src/owner/snippet/snippet.js';
import { lacksProgram } from '../support/programs.js';
import { seededRandom } from '../support/random.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import { startAsking } from '../support/web-servers.js';
import { isOver, type Attacked, type Limits } from './on-targets.js';
import { attackedSite } from './site.js';
import { hostileTarget } from './targets.js';

/** What HTTP/2 lets one say besides a path. */
const extras: readonly OutgoingHttpHeaders[] = [
  {},
  {},
  {},
  { ':method': 'POST' },
  { ':method': 'OPTIONS' },
  { ':authority': 'other.example' },
  { host: 'other.example' },
  { ':authority': 'other.example', host: 'site.example' },
  { ':scheme': 'http' },
  { range: 'bytes=0-100' },
  { te: 'trailers' },
  { cookie: ['a=1', '__Host-dorlin=a.b.c', 'dorlin=a.b.c'] },
  { 'x-original-uri': '/about', 'x-original-method': 'GET', 'x-forwarded-uri': '/about', 'x-forwarded-method': 'GET' },
  { 'x-forwarded-host': 'other.example', 'x-forwarded-proto': 'http', 'x-original-url': '/members/log.html' },
];
const onConnection = 64;

/** Hostile targets by HTTP/2 over TLS, many at once on each connection, to a web server that asks. */
export const attackHttp2 =
  (server: WebServer) =>
  async (limits: Limits): Promise<Attacked> => {
    const name = `${server} that asks, by HTTP/2`;
    const lacking = lacksProgram(server) || lacksProgram('openssl');
    if (lacking !== false) return { name, tried: 0, found: [], about: `skipped: ${lacking}` };
    const site = await attackedSite();
    const { folder, remove } = await temporaryFolder();
    const files = Object.entries(site.files).map(([path, content]) => [`site/${path}`, content] as const);
    await writeFiles(folder, { ...Object.fromEntries(files), 'dorlin.yaml': site.text });
    const running = await startAsking(server, { folder, policyFile: join(folder, 'dorlin.yaml'), isSecure: true });
    const random = seededRandom(limits.seed);
    const statuses = new Map<string, number>();
    const found: string[] = [];
    let tried = 0;
    const ask = async (session: ClientHttp2Session): Promise<void> => {
      const path = hostileTarget(site.names, random);
      const headers = { ':authority': 'site.example', ':path': path, ...extras[random.below(extras.length)] };
      const { status, body } = await answerOf(session, headers).catch(() => ({ status: 'refused here', body: '' }));
      tried++;
      statuses.set(status, (statuses.get(status) ?? 0) + 1);
      const leak = site.leakIn(body);
      if (leak !== undefined) found.push(`${leak} by ${JSON.stringify(headers).slice(0, 200)}`);
    };
    try {
      // One connection at least, should the server have taken all of the time to start.
      do {
        const session = open(running.port);
        await Promise.all(Array.from({ length: onConnection }, () => ask(session)));
        session.destroy();
      } while (!isOver(limits, tried));
      const last = open(running.port);
      const { status } = await answerOf(last, { ':authority': 'site.example', ':path': '/about' });
      if (status !== '200') found.push(`it no longer answers: ${status}`);
      last.destroy();
    } finally {
      await running.close();
      await remove();
    }
    const spread = [...statuses].sort(([one], [other]) => one.localeCompare(other));
    return { name, tried, found, about: spread.map(([status, times]) => `${times} × ${status}`).join(', ') };
  };

function open(port: number): ClientHttp2Session {
  const session = connect(`https://127.0.0.1:${port}`, { rejectUnauthorized: false, servername: 'site.example' });
  return session.on('error', () => undefined);
}

/** What breaks the rules of HTTP/2 gets no answer, or ends the connection. */
function answerOf(session: ClientHttp2Session, headers: OutgoingHttpHeaders) {
  return new Promise<{ status: string; body: string }>((resolve, reject) => {
    if (session.destroyed || session.closed) throw new Error('the connection has ended');
    const asked = session.request(headers, { endStream: true });
    let status = 'closed';
    const pieces: Buffer[] = [];
    asked.on('response', (answer) => (status = String(answer[':status'])));
    asked.on('data', (piece: Buffer) => pieces.push(piece));
    asked.on('error', reject);
    asked.on('close', () => {
      resolve({ status, body: Buffer.concat(pieces).toString() });
    });
    asked.setTimeout(5000, () => {
      asked.close(constants.NGHTTP2_CANCEL);
    });
  });
}
