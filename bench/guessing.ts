import { spawn } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { request, Agent } from 'node:http';
import { fileURLToPath } from 'node:url';
import autocannon from 'autocannon';
import { defaultCosts, parsePhc, formatPhc } from '../src/core/passwords/phc.js';
import { matchPassword } from '../src/core/passwords/shared-salt.js';
import { nativeHasher } from '../src/stores/hasher.js';
import { median, report, type Figure } from './figures.js';

const server = fileURLToPath(new URL('serving-child.ts', import.meta.url));

/** Milliseconds that each of so many visits to an open page takes, one after the other. */
async function timesOf(url: string, visits: number): Promise<number[]> {
  const agent = new Agent({ keepAlive: true, maxSockets: 1 });
  const times: number[] = [];
  for (let visit = 0; visit < visits; visit++) {
    const start = performance.now();
    await new Promise<void>((resolve, reject) => {
      request(url, { agent }, (response) => {
        response.resume().once('end', resolve);
      })
        .once('error', reject)
        .end();
    });
    times.push(performance.now() - start);
  }
  agent.destroy();
  return times;
}

const mean = (values: readonly number[]) => values.reduce((sum, value) => sum + value, 0) / values.length;

/** How open pages fare while 64 connections send wrong guesses as fast as they are answered. */
async function benchFlood(): Promise<Figure[]> {
  const child = spawn(process.execPath, ['--import', 'tsx', server], {
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  try {
    const [line] = (await once(child.stdout, 'data')) as [Buffer];
    const { guarded } = JSON.parse(line.toString()) as { guarded: string };
    const flood = () =>
      autocannon({
        url: `${guarded}/_dorlin/unlock`,
        method: 'POST',
        headers: { 'content-type': 'application/x-www-form-urlencoded' },
        body: 'lock=members&password=guess&to=/members/log',
        connections: 64,
        duration: 4,
        workers: 1,
      });
    const open = `${guarded}/about`;
    await timesOf(open, 2000);
    const medians: number[] = [];
    const means: number[] = [];
    let guesses = 0;
    for (let round = 0; round < 5; round++) {
      const quiet = await timesOf(open, 1500);
      const flooding = flood();
      await new Promise((resolve) => setTimeout(resolve, 1500));
      const flooded = await timesOf(open, 300);
      guesses += (await flooding).requests.total;
      medians.push(median(flooded) / median(quiet));
      means.push(mean(flooded) / mean(quiet));
    }
    console.log(`  (${guesses.toLocaleString('en')} guesses were answered in 5 floods)`);
    const name = 'open page in a flood of 64 guessers, times a quiet one';
    return [
      report(`${name}: median`, median(medians), '×', { atMost: 1.5 }),
      // No goal: it shows the visits that fall into a burst of guesses.
      report(`${name}: mean`, median(means), '×', {}),
    ];
  } finally {
    child.kill();
  }
}

/** Trying a wrong password at a lock of 50 passwords, beside one of a single one, in pairs. */
async function benchPasswords(): Promise<Figure> {
  const salt = randomBytes(16);
  const passwords = Array.from({ length: 50 }, () => {
    const hash = formatPhc({ salt, cost: defaultCosts.argon2id, hash: randomBytes(defaultCosts.argon2id.length) });
    const parsedHash = parsePhc(hash);
    if (parsedHash === undefined) throw new Error('no hash');
    return { parsedHash };
  });
  const time = async (count: number) => {
    const start = performance.now();
    await matchPassword('a wrong guess', passwords.slice(0, count), nativeHasher);
    return performance.now() - start;
  };
  const ratios: number[] = [];
  for (let pair = 0; pair < 41; pair++) {
    const one = pair % 2 === 0 ? await time(1) : undefined;
    const fifty = await time(50);
    ratios.push(fifty / (one ?? (await time(1))));
  }
  const name = 'trying one of 50 passwords, times one of 1 (41 pairs)';
  return report(name, median(ratios), '×', { atMost: 1.1 });
}

export async function benchGuessing(): Promise<Figure[]> {
  return [await benchPasswords(), ...(await benchFlood())];
}
