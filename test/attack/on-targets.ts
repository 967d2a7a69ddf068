import { seededRandom } from '../support/random.js';
import { testGuard } from '../support/guards.js';
import { missingProgram, startFront } from './fronts.js';
import { sendAll } from './pipeline.js';
import { sloppyReader } from './readers.js';
import { attackedSite } from './site.js';
import { hostileHost, hostileTarget } from './targets.js';

/** What an attack came to. */
export interface Attacked {
  readonly name: string;
  readonly tried: number;
  /** What got through, or went wrong; one line each. */
  readonly found: readonly string[];
  readonly about: string;
}

/** When to stop: after so many, or at a moment. */
export interface Limits {
  readonly most: number;
  readonly until: number;
  readonly seed: number;
}

/** Whether it is enough, by the number or by the time; a few are tried however long it takes to begin. */
export const isOver = ({ most, until }: Limits, tried: number): boolean =>
  tried >= most || (tried >= 10 && Date.now() >= until);

const methods = ['GET', 'GET', 'GET', 'GET', 'POST', 'OPTIONS', 'HEAD', 'DELETE'];
const extras = [
  '',
  '',
  '',
  'range: bytes=0-100\r\n',
  'range: bytes=0-1,3-900\r\n',
  'connection: upgrade\r\nupgrade: websocket\r\n',
  'connection: upgrade\r\nupgrade: websocket\r\nsec-websocket-version: 13\r\nsec-websocket-key: AAAAAAAAAAAAAAAAAAAAAA==\r\n',
  'connection: upgrade, http2-settings\r\nupgrade: h2c\r\nhttp2-settings: AAMAAABkAAQAAP__\r\n',
  'x-forwarded-prefix: /x\r\nx-original-url: /members/log.html\r\nx-rewrite-url: /members/log.html\r\n',
  'x-original-uri: /about\r\nx-original-method: GET\r\nx-forwarded-uri: /about\r\nx-forwarded-method: GET\r\n',
];

/** Fewest requests of one connection. */
const least = 60;

/** Sends hostile targets to a front, over raw sockets, and looks for locked files in the answers. */
export async function attackFront(name: string, { most, until, seed }: Limits): Promise<Attacked> {
  const lacking = missingProgram(name);
  if (lacking !== undefined) return { name, tried: 0, found: [], about: `skipped: there is no ${lacking} here` };
  const site = await attackedSite();
  const front = await startFront(name, site);
  const statuses = new Map<string, number>();
  const found: string[] = [];
  let tried = 0;
  const answered = (answer: string, request: string) => {
    tried++;
    const status = answer.slice(9, 12) || 'closed';
    statuses.set(status, (statuses.get(status) ?? 0) + 1);
    const leak = site.leakIn(Buffer.from(answer, 'latin1').toString('utf8'));
    if (leak !== undefined) found.push(`${leak} by ${JSON.stringify(request.split('\r\n', 1)[0] ?? '').slice(0, 160)}`);
  };
  function* requests(random: ReturnType<typeof seededRandom>, count: number): Generator<string> {
    // Some, should a program have taken all of the time to start.
    for (let sent = 0; sent < count && (sent < least || Date.now() < until); sent++) {
      const target = hostileTarget(site.names, random).replace(/[\r\n]/g, '');
      const method = methods[random.below(methods.length)] ?? 'GET';
      const extra = method === 'HEAD' ? '' : (extras[random.below(extras.length)] ?? '');
      // HEAD has no body, whatever its length says, which the reader of answers cannot know.
      const plain = method === 'HEAD' ? 'GET' : method;
      const length = plain === 'POST' ? 'content-length: 0\r\n' : '';
      const host = random.below(4) === 0 ? hostileHost(site.names, random) : 'host: site.example\r\n';
      yield `${plain} ${target} HTTP/1.1\r\n${host}${extra}${length}\r\n`;
    }
  }
  try {
    await Promise.all(
      Array.from({ length: 4 }, (_, at) =>
        sendAll(front.port, requests(seededRandom(seed * 100 + at), Math.ceil(most / 4)), answered),
      ),
    );
    const alive = await fetch(`http://127.0.0.1:${front.port}/about.html`).then(
      ({ ok }) => ok,
      () => false,
    );
    if (!alive) found.push('it no longer answers');
  } finally {
    await front.close();
  }
  const spread = [...statuses].sort(([one], [other]) => one.localeCompare(other));
  const about = spread.map(([status, times]) => `${times} × ${status}`).join(', ');
  return { name, tried, found, about };
}

/** Asks the guard alone, and reads what it passes on in every sloppy way. */
export async function attackReaders(limits: Limits): Promise<Attacked> {
  const site = await attackedSite();
  const { guard } = await testGuard(site.policy);
  const read = sloppyReader(site.names);
  const random = seededRandom(limits.seed);
  const found: string[] = [];
  let tried = 0;
  let open = 0;
  for (; !isOver(limits, tried); tried++) {
    const target = hostileTarget(site.names, random);
    const visit = { method: 'GET', target, headers: { host: 'site.example' }, encrypted: false };
    const verdict = await guard.answer(visit);
    if (verdict.kind !== 'open') continue;
    open++;
    for (let times = 0; times < 24; times++) {
      const name = read(verdict.target, random);
      if (name !== undefined && site.locked.includes(name))
        found.push(`${name} by ${JSON.stringify(target).slice(0, 160)}`);
    }
  }
  return {
    name: 'sloppy readers of what is passed on',
    tried,
    found: [...new Set(found)],
    about: `${open} passed on, each read in 24 ways`,
  };
}
