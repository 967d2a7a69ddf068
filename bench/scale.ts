import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import autocannon from 'autocannon';
import { guardFromRedis, redisStores } from '../src/stores/redis/stores.js';
import { freePort, startProgram } from '../test/support/programs.js';
import { testBrowser } from '../test/support/guards.js';
import { policyText } from '../test/support/policies.js';
import { startRedis } from '../test/support/redis.js';
import { temporaryFolder, until } from '../test/support/sites.js';
import type { Visit } from '../src/guard/visit/visit.js';
import { median, report, type Figure } from './figures.js';

const locks = { members: { covers: ['/members/'], passwords: { aa: 'owl' } } };

/** So many answers a second on one core, of the guard alone. */
async function answersASecond(answer: () => unknown): Promise<number> {
  const rates: number[] = [];
  for (let round = 0; round < 5; round++) {
    const start = performance.now();
    let count = 0;
    while (performance.now() - start < 400) {
      for (let at = 0; at < 200; at++) {
        const verdict = answer();
        if (verdict instanceof Promise) await verdict;
      }
      count += 200;
    }
    rates.push((count / (performance.now() - start)) * 1000);
  }
  return median(rates);
}

/** The figures that a sum for many machines begins with: what one core, one process and one Redis do. */
export async function benchScale(): Promise<Figure[]> {
  const { folder, remove } = await temporaryFolder();
  const redis = await startRedis(folder);
  try {
    const client = redis.client();
    await once(client, 'ready');
    const stores = redisStores(client);
    const put = (since: number, more = {}) =>
      policyText({ ...locks, ...more }, { id: 'scale', marks: false, trustedProxies: ['127.0.0.1/32'] }).then((text) =>
        stores.sites.put({ id: 'scale', text, since }),
      );
    await put(0);
    const guards = await Promise.all([1, 2, 3, 4].map(() => guardFromRedis(client, 'scale')));
    const [guard] = guards;
    if (guard === undefined) throw new Error('there is no guard');
    let cookie = '';
    const browser = testBrowser((visit) => {
      cookie = typeof visit.headers['cookie'] === 'string' ? visit.headers['cookie'] : '';
      return guard.answer(visit);
    });
    await browser.unlock('members', 'owl');
    await browser.get('/members/log');
    const visit = (target: string): Visit => ({
      method: 'GET',
      target,
      headers: { host: 'a.example', cookie },
      encrypted: false,
      address: '192.0.2.1',
    });
    const open = await answersASecond(() => guard.answer(visit('/about')));
    const letIn = await answersASecond(() => guard.answer(visit('/members/log')));

    const spreads: number[] = [];
    for (let turn = 0; turn < 9; turn++) {
      const start = performance.now();
      await put(turn + 1, { [`more-${turn}`]: { covers: [`/more-${turn}/`], passwords: { aa: 'owl' } } });
      await until(async () =>
        (await Promise.all(guards.map(async (one) => one.answer(visit(`/more-${turn}/`))))).every(
          ({ kind }) => kind === 'answer',
        ),
      );
      spreads.push(performance.now() - start);
    }
    for (const one of guards) await one.close();

    const port = await freePort();
    await writeFile(join(folder, 'dorlin.yaml'), 'dorlin: 1\nsite: { name: Scale, id: scale }\n');
    const asked = await startProgram(
      process.execPath,
      [
        'dist/node/dorlin.js',
        'authorize',
        '--redis',
        redis.url,
        '--policy',
        join(folder, 'dorlin.yaml'),
        '--port',
        String(port),
      ],
      (said) => said.includes(String(port)),
    );
    const rate = async (duration: number) => {
      const { requests, non2xx } = await autocannon({
        url: `http://127.0.0.1:${port}/_dorlin/authorize`,
        connections: 32,
        duration,
        headers: { 'x-original-uri': '/members/log', 'x-original-method': 'GET', cookie },
      });
      if (non2xx > 0) throw new Error(`${non2xx} visits were not let in`);
      return requests.average;
    };
    await rate(2);
    const asking = await rate(6);
    await asked.end();

    const counted = spawn(
      'redis-benchmark',
      ['-p', String(redis.port), '-n', '200000', '-c', '64', '-q', 'INCR', 'x'],
      {
        stdio: ['ignore', 'pipe', 'ignore'],
      },
    );
    let said = '';
    counted.stdout.on('data', (data: Buffer) => (said += data.toString()));
    await once(counted, 'close');
    const alone = Number(/([\d.]+) requests per second/.exec(said)?.[1]);
    return [
      report('verdicts on open pages, one core, guard alone', open, 'a second'),
      report('verdicts on opened pages, one core, guard alone', letIn, 'a second'),
      report('web servers’ questions to one process of dorlin authorize', asking, 'a second'),
      report('one Redis: plain counting by redis-benchmark, kept on disk each time', alone, 'a second'),
      report('from a push to all of four guards (9 pushes)', median(spreads), 'ms'),
    ];
  } finally {
    await redis.close();
    await remove();
  }
}
