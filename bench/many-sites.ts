import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { fileURLToPath } from 'node:url';
import type { Redis } from 'ioredis';
import type { Policy } from '../src/core/policy/types.js';
import { readPolicyOrThrow } from '../src/core/policy/read.js';
import type { Visit } from '../src/guard/visit/visit.js';
import { memoryCounters } from '../src/stores/counters-memory.js';
import { namesIn } from '../src/stores/redis/names.js';
import { redisStores } from '../src/stores/redis/stores.js';
import { policyText, type TestLock } from '../test/support/policies.js';
import { startRedis } from '../test/support/redis.js';
import { temporaryFolder } from '../test/support/sites.js';
import { median, report, type Figure } from './figures.js';
import { rate } from './serving.js';

const sites = 100_000;
const locks = 20;

/** A policy of twenty locks, as they are written: each with two passwords and their labels. */
async function policyOf(id: string): Promise<string> {
  const all: Record<string, TestLock> = {};
  for (let at = 0; at < locks; at++) {
    all[`lock-${at}`] = {
      covers: [`/area-${at}/`, `/area-${at}-more/page`],
      passwords: { [`Season ${at}`]: `one ${at}`, [`Helpers ${at}`]: `two ${at}` },
      remember: '30 days',
    };
  }
  return policyText(all, { id, origin: `https://${id}.example` });
}

/** Puts all sites into the store, as `push` would, but many at once. */
async function fill(client: Redis): Promise<string> {
  const names = namesIn('dorlin');
  const text = await policyOf('site-0');
  for (let at = 0; at < sites; at += 1000) {
    const pipeline = client.pipeline();
    for (let one = at; one < at + 1000; one++) {
      const id = `site-${one}`;
      const values = { version: '1', text: text.replaceAll('site-0', id), hosts: `${id}.example` };
      pipeline.hset(names.site(id), { ...values, at: '', secret: `a secret of the site ${id} and long enough` });
      pipeline.hset(names.hosts, `${id}.example`, id);
      pipeline.zadd(names.changed, one + 1, id);
    }
    await pipeline.exec();
  }
  await client.set(names.epoch, sites);
  return text;
}

const visitOf = (host: string): Visit => ({
  method: 'GET',
  target: '/about',
  headers: { host },
  encrypted: false,
  address: '192.0.2.1',
});

const perSecond = async (times: number, work: () => Promise<unknown>) => {
  const start = performance.now();
  let left = times;
  const worker = async () => {
    while (left-- > 0) await work();
  };
  await Promise.all(Array.from({ length: 64 }, worker));
  return (times / (performance.now() - start)) * 1000;
};

/** An open page of one site by a guard of many, as a share of one that has that site alone; in pairs. */
async function compareServed(redis: string): Promise<number> {
  const child = spawn(
    process.execPath,
    ['--import', 'tsx', fileURLToPath(new URL('many-sites-child.ts', import.meta.url)), redis],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  );
  try {
    const [line] = (await once(child.stdout, 'data')) as [Buffer];
    const { one, every, spent } = JSON.parse(line.toString()) as { one: string; every: string; spent: string };
    const run = (url: string) => rate(`${url}/about`, { host: 'site-7.example' }, spent);
    for (let warm = 0; warm < 3; warm++) for (const url of [one, every]) await run(url);
    const ratios: number[] = [];
    for (let pair = 0; pair < 15; pair++) {
      const first = pair % 2 === 0 ? await run(every) : 0;
      const alone = await run(one);
      ratios.push((first || (await run(every))) / alone);
    }
    return median(ratios);
  } finally {
    child.kill();
  }
}

/** What many sites cost one guard, and what sharing costs: 100,000 sites of 20 locks in a real Redis. */
export async function benchManySites(): Promise<Figure[]> {
  const { folder, remove } = await temporaryFolder();
  const redis = await startRedis(folder);
  try {
    const client = redis.client();
    await once(client, 'ready');
    const text = await fill(client);
    const about = await client.info('memory');
    const stored = Number(/^used_memory:(\d+)/m.exec(about)?.[1]) / sites / 1024;
    const stores = redisStores(client);

    const budget = { tries: 1e9, seconds: 3600 };
    let at = 0;
    const take = (counters: ReturnType<typeof memoryCounters>) => () => counters.take(`key ${at++ % 1000}`, budget);
    const shared = await perSecond(20_000, take(stores.counters));
    const own = await perSecond(20_000, take(memoryCounters()));

    const few = await stores.everySite({ most: 32e6 });
    for (let one = 0; one < 3000; one++) await few.policyFor(visitOf(`site-${one * 31}.example`));
    globalThis.gc?.();
    const bounded = process.memoryUsage().heapUsed;
    for (let one = 0; one < 3000; one++) await few.policyFor(visitOf(`site-${one * 31 + 7}.example`));
    globalThis.gc?.();
    const grown = (process.memoryUsage().heapUsed - bounded) / 1024 / 1024;
    await few.close();

    const policies = await stores.everySite({ most: 4e9 });
    const times: number[] = [];
    globalThis.gc?.();
    const before = process.memoryUsage().heapUsed;
    const count = 1000;
    const kept: (Policy | undefined)[] = [];
    for (let one = 0; one < count; one++) {
      const start = performance.now();
      kept.push(await policies.policyFor(visitOf(`site-${one * 97}.example`)));
      times.push(performance.now() - start);
    }
    globalThis.gc?.();
    const each = (process.memoryUsage().heapUsed - before) / 1024 / count;
    await policies.close();
    const readings = Array.from({ length: 100 }, () => {
      const start = performance.now();
      readPolicyOrThrow(text, 'it');
      return performance.now() - start;
    });

    stores.close();

    return [
      report('many sites against one: an open page', await compareServed(redis.url), 'of its requests', {
        atLeast: 0.97,
      }),
      report('the first visit to a site of 20 locks', median(times), 'ms'),
      report('of that, reading the policy', median(readings), 'ms'),
      report('one site of 20 locks, known', each, 'KiB'),
      report('one site of 20 locks, idle: in Redis', stored, 'KiB'),
      report('3,000 more sites, where 32 MB are for them', grown, 'MiB', globalThis.gc ? { atMost: 16 } : {}),
      report('tries counted in Redis, 64 at once', shared, 'a second'),
      report('tries counted in memory', own, 'a second'),
      report('in Redis against in memory', shared / own, 'of the tries a second'),
    ];
  } finally {
    await redis.close();
    await remove();
  }
}
