import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { rename, rm, writeFile } from 'node:fs/promises';
import { connect } from 'node:net';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { seededRandom, type Random } from '../support/random.js';
import { temporaryFolder, writeFiles } from '../support/sites.js';
import type { Attacked, Limits } from './on-targets.js';
import { canaryOf } from './names.js';
import { attackedSite, type AttackedSite } from './site.js';
import { hostileTarget } from './targets.js';

const program = fileURLToPath(new URL('fault-child.ts', import.meta.url));
const loader = import.meta.resolve('tsx');

interface Victim {
  readonly child: ChildProcess;
  readonly ports: Readonly<Record<'files' | 'proxy' | 'chained' | 'mounted', number>>;
  readonly isAlive: () => boolean;
  readonly lastWords: () => string;
  readonly megabytes: () => Promise<number>;
}

/** Starts the process that is attacked, with so many file handles at most. */
async function startVictim(folder: string, handles: number): Promise<Victim> {
  const args = ['--expose-gc', '--import', loader, program, folder];
  const child = spawn(process.execPath, args, { stdio: ['ignore', 'ignore', 'pipe', 'ipc'] });
  let words = '';
  child.stderr?.on('data', (data: Buffer) => (words = (words + data.toString()).slice(-2000)));
  /** What the process says next; it may have ended meanwhile. */
  const said = async () => {
    const ended = once(child, 'exit').then(() => {
      throw new Error(`the process ended: ${words.slice(-700)}`);
    });
    const [message] = (await Promise.race([once(child, 'message'), ended])) as [unknown];
    return message;
  };
  const { ports } = (await said()) as Pick<Victim, 'ports'>;
  // Only now, as to load its sources takes more.
  const limit = `--nofile=${handles}:${handles}`;
  const { status } = spawnSync('prlimit', ['--pid', String(child.pid), limit]);
  if (status !== 0) throw new Error('prlimit (util-linux) could not set how many files may be open');
  return {
    child,
    ports,
    isAlive: () => child.exitCode === null && child.signalCode === null,
    lastWords: () => words,
    megabytes: async () => {
      child.send('memory');
      return ((await said()) as { megabytes: number }).megabytes;
    },
  };
}

/** What is sent to a port, and how long to wait before the connection is broken off. */
interface Sent {
  readonly port: number;
  readonly bytes: Buffer;
  readonly ends: 'reset' | 'close' | 'answer';
  readonly after: number;
}

/** Sends and breaks off; gives back what came, or that nothing came and nothing ended in time. */
function strike({ port, bytes, ends, after }: Sent): Promise<string | undefined> {
  return new Promise((resolve) => {
    let got = '';
    const socket = connect(port, '127.0.0.1');
    const isOver = (answer: string | undefined) => {
      socket.destroy();
      resolve(answer);
    };
    socket.on('error', () => undefined);
    socket.on('close', () => {
      resolve(got);
    });
    socket.on('data', (data) => (got += data.toString('latin1')));
    socket.on('connect', () => {
      socket.write(bytes);
      if (ends === 'reset') setTimeout(() => socket.resetAndDestroy(), after);
      else if (ends === 'close') setTimeout(() => socket.end(), after);
    });
    socket.setTimeout(ends === 'answer' ? 8000 : 3000, () => {
      isOver(ends === 'answer' && got === '' ? undefined : got);
    });
  });
}

const pick = <T>(of: readonly T[], random: Random): T => of[random.below(of.length)] as T;

const randomBytes = (random: Random) =>
  Buffer.from(Array.from({ length: 1 + random.below(400) }, () => random.below(256)));

const upgrade =
  'connection: upgrade\r\nupgrade: websocket\r\nsec-websocket-version: 13\r\nsec-websocket-key: AAAAAAAAAAAAAAAAAAAAAA==\r\n';

/** One request that is odd in itself, broken off half-way, or followed by what it should not be. */
function oddRequest(site: AttackedSite, random: Random): Buffer {
  const kind = random.below(10);
  if (kind === 0) return randomBytes(random);
  const target = pick(
    [
      hostileTarget(site.names, random).replace(/[\r\n]/g, ''),
      `/way${random.below(40)}`,
      '/about',
      '/rewritten',
      '/members/',
      '/film.html',
    ],
    random,
  );
  const method = pick(['GET', 'GET', 'POST', 'HEAD', 'OPTIONS', 'DELETE', 'PUT', 'TRACE', 'PATCH'], random);
  const headers = pick(
    [
      '',
      upgrade,
      'connection: upgrade\r\nupgrade: h2c\r\n',
      'content-length: 10\r\n',
      'content-length: 5\r\n\r\nhello',
      'transfer-encoding: chunked\r\n',
      'transfer-encoding: chunked\r\n\r\n5\r\nhello\r\n0\r\n\r\n',
      'transfer-encoding: chunked\r\ncontent-length: 4\r\n',
      'connection: upgrade\r\nupgrade: websocket\r\ntransfer-encoding: chunked\r\n\r\n0\r\n\r\nGET /members/log.html HTTP/1.1\r\nhost: x\r\n',
      'range: bytes=0-0,2-4,7-\r\n',
      'if-none-match: *\r\n',
      'accept-encoding: br;q=1, *;q=0\r\n',
      'expect: 100-continue\r\n',
      `x-long: ${'y'.repeat(random.below(20_000))}\r\n`,
      `cookie: ${'a=b; '.repeat(random.below(2000))}\r\n`,
      `forwarded: ${' '.repeat(random.below(15_000))}x\r\n`,
      'authorization: Basic YTpi\r\n',
    ],
    random,
  );
  const request = Buffer.from(`${method} ${target} HTTP/1.1\r\nhost: site.example\r\n${headers}\r\n`, 'latin1');
  if (kind === 1) return request.subarray(0, random.below(request.length));
  if (kind === 2) {
    const changed = Buffer.from(request);
    changed[random.below(changed.length)] = random.below(256);
    return changed;
  }
  if (kind === 3) {
    const form = `lock=members&password=${'x'.repeat(random.below(40_000))}`;
    return Buffer.from(
      `POST /_dorlin/${pick(['unlock', 'request', 'view', 'enter', 'leave'], random)} HTTP/1.1\r\nhost: site.example\r\ncontent-type: application/x-www-form-urlencoded\r\ncontent-length: ${form.length}\r\n\r\n${form}`,
    );
  }
  return request;
}

/** Files that come, go, change and become folders while they are asked for. */
async function disturbFiles(folder: string, until: () => boolean, random: Random): Promise<void> {
  const file = (name: string) => join(folder, 'site', name);
  while (!until()) {
    const name = pick(['about.html', 'film.html', 'notes+more.txt', '404.html'], random);
    await rm(file(name), { force: true });
    await new Promise((resolve) => setTimeout(resolve, random.below(20)));
    await writeFile(`${file(name)}.new`, canaryOf(name).repeat(1 + random.below(3000)));
    await rename(`${file(name)}.new`, file(name));
    if (random.chance()) await writeFile(file(name), canaryOf(name));
  }
}

/**
 * Breaks connections, requests, files and upstreams, from many sides at once, and sees whether the
 * process lives, answers everybody, and gives its memory back.
 */
async function attackProcess(
  name: string,
  { most, until, seed }: Limits,
  handles: number,
  requestOf: (site: AttackedSite, random: Random) => Buffer,
): Promise<Attacked> {
  const site = await attackedSite();
  const { folder, remove } = await temporaryFolder();
  const paths = Object.entries(site.files).map(([path, content]) => [`site/${path}`, content]);
  await writeFiles(folder, {
    ...(Object.fromEntries(paths) as Record<string, string>),
    'dorlin.yaml': site.text,
  });
  const victim = await startVictim(folder, handles);
  const found: string[] = [];
  const counts = { reset: 0, close: 0, answer: 0 };
  let tried = 0;
  // What it takes to start is not to be the whole of its time.
  const end = Math.max(until, Date.now() + 1500);
  const isOver = () => tried >= most || Date.now() >= end || !victim.isAlive();
  const ports = Object.values(victim.ports);
  const worker = async (random: Random) => {
    while (!isOver()) {
      tried++;
      const ends = pick(['reset', 'reset', 'close', 'answer'] as const, random);
      counts[ends]++;
      const bytes = requestOf(site, random);
      // An answer is owed to whole requests alone.
      const isOwed =
        ends === 'answer' && /^(?:GET|HEAD) \/\S* HTTP\/1.1\r\nhost: \S+\r\n\r\n$/.test(bytes.toString('latin1'));
      const answer = await strike({
        port: pick(ports, random),
        bytes,
        ends: isOwed ? 'answer' : ends === 'answer' ? 'close' : ends,
        after: random.below(8),
      });
      const first = JSON.stringify(bytes.toString('latin1').split('\r\n', 1)[0] ?? '').slice(0, 160);
      if (answer === undefined) found.push(`no answer to ${first}`);
      const leak = site.leakIn(Buffer.from(answer ?? '', 'latin1').toString('utf8'));
      if (leak !== undefined) found.push(`${leak} by ${first}`);
    }
  };
  // What is loaded and cached at first is no loss.
  await Promise.all(
    Array.from({ length: 8 }, (_, at) =>
      strike({
        port: ports[at % 4] ?? 0,
        bytes: Buffer.from('GET /about HTTP/1.1\r\nhost: x\r\nconnection: close\r\n\r\n'),
        ends: 'answer',
        after: 0,
      }),
    ),
  );
  const before = await victim.megabytes();
  await Promise.all([
    disturbFiles(folder, isOver, seededRandom(seed + 7)),
    ...Array.from({ length: 24 }, (_, at) => worker(seededRandom(seed * 1000 + at))),
  ]);
  let after = 0;
  if (!victim.isAlive()) found.push(`the process ended: ${victim.lastWords().slice(-700)}`);
  else {
    for (let tries = 0; tries < 20; tries++) {
      await new Promise((resolve) => setTimeout(resolve, 250));
      after = await victim.megabytes();
      if (after < before + mostGrowth) break;
    }
    if (after >= before + mostGrowth) found.push(`it holds ${after.toFixed(0)} MB, and ${before.toFixed(0)} MB before`);
    for (const port of ports) {
      const answer = await strike({
        port,
        bytes: Buffer.from('GET /film HTTP/1.1\r\nhost: x\r\nconnection: close\r\n\r\n'),
        ends: 'answer',
        after: 0,
      });
      if (answer?.startsWith('HTTP/1.1 403') !== true)
        found.push(`a locked page is answered by ${String(answer).slice(0, 40)}`);
    }
  }
  victim.child.kill('SIGKILL');
  await remove();
  const about = `${counts.reset} reset, ${counts.close} closed, ${counts.answer} waited for; ${before.toFixed(0)} MB before, ${after.toFixed(0)} MB after`;
  return { name, tried, found, about };
}

/** In megabytes: caches are filled, and stay so. */
const mostGrowth = 90;

export const attackByFaults = (limits: Limits) =>
  attackProcess('faults: resets, halves, odd bodies, vanishing files, dying upstreams', limits, 4096, oddRequest);

export const attackByBytes = (limits: Limits) =>
  attackProcess('random bytes', limits, 4096, (_site, random) => randomBytes(random));

export const attackByHandles = (limits: Limits) =>
  attackProcess('faults with few file handles', limits, 80, oddRequest);
