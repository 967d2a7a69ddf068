import { createHash, randomBytes } from 'node:crypto';
import { once } from 'node:events';
import { existsSync } from 'node:fs';
import { open, readdir, readFile, rm, stat, truncate, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { namingKeys } from '../src/core/sealing/areas.js';
import { named, writeSealed } from '../src/sealer/seal-file.js';
import { makeThreads, type Threads } from '../src/sealer/threads.js';
import { dorlin } from '../test/support/command-line.js';
import { freshPage, launch, skipBrowser } from '../test/support/browser.js';
import { plainHost, siteToSeal } from '../test/support/sealed.js';
import { temporaryFolder } from '../test/support/sites.js';
import { median, report, type Figure } from './figures.js';

/** As it is shipped: a thread with little else in it, in which collecting garbage takes no time. */
const worker = new URL('../dist/node/sealing-worker.js', import.meta.url).href;
const large = 256 * 1024 * 1024;
const record = 65_519;
const seconds = async (work: () => Promise<unknown>) => {
  const start = process.hrtime.bigint();
  await work();
  return Number(process.hrtime.bigint() - start) / 1e9;
};

/** AES-128-GCM alone, in records of 64 KiB, of what lies in memory: in a thread with nothing else in it. */
const rawWork = `
const { createCipheriv, randomBytes } = require('node:crypto');
const { parentPort } = require('node:worker_threads');
const key = randomBytes(16);
const plain = Buffer.alloc(${record});
const start = process.hrtime.bigint();
for (let at = 0, index = 0; at < ${large}; at += ${record}, index++) {
  const iv = Buffer.alloc(12);
  iv.writeUInt32BE(index, 8);
  const cipher = createCipheriv('aes-128-gcm', key, iv);
  cipher.update(plain);
  cipher.final();
  cipher.getAuthTag();
}
parentPort.postMessage(Number(process.hrtime.bigint() - start) / 1e9);`;

const rawSeconds = async () => {
  const [time] = (await once(new Worker(rawWork, { eval: true }), 'message')) as [number];
  return time;
};

/** Encrypting a large file into another, its name and salt known. */
async function benchLarge(): Promise<Figure[]> {
  const { folder, remove } = await temporaryFolder();
  const file = join(folder, 'film.mp4');
  const key = new Uint8Array(16);
  const area = { key, naming: await namingKeys(key) };
  await writeFile(file, randomBytes(large));
  const [one, two] = [makeThreads(1, worker), makeThreads(2, worker)];
  const what = await named('/film.mp4', { file, size: large }, area, two);
  const [shares, ofTwo, both]: [number[], number[], number[]] = [[], [], []];
  // The first starts the threads.
  for (let round = 0; round < 6; round++) {
    const raw = await rawSeconds();
    const sealing = async (threads: Threads) => {
      await rm(join(folder, 'sealed'), { force: true });
      return raw / (await seconds(() => writeSealed(join(folder, 'sealed'), what, area, threads)));
    };
    const found = [await sealing(one), await sealing(two)] as const;
    const naming = await seconds(() => named('/film.mp4', { file, size: large }, area, one));
    if (round === 0) continue;
    shares.push(found[0]);
    ofTwo.push(found[1]);
    both.push(1 / (1 / found[0] + naming / raw));
  }
  // Sparse, so that it takes no room; what is sealed of it does.
  const giant = join(folder, 'giant.mp4');
  await writeFile(giant, '');
  await truncate(giant, 2 * 1024 ** 3);
  const before = process.memoryUsage().rss;
  let most = before;
  const watch = setInterval(() => (most = Math.max(most, process.memoryUsage().rss)), 20);
  await writeSealed(
    join(folder, 'sealed'),
    await named('/giant.mp4', { file: giant, size: 2 * 1024 ** 3 }, area, two),
    area,
    two,
  );
  clearInterval(watch);
  await Promise.all([remove(), one.close(), two.close()]);
  return [
    report('sealing a large file in one thread, as a share of raw AES-128-GCM', median(shares), '', { atLeast: 0.8 }),
    // What one would be at 0.8, and 1.6 times as much.
    report('the same in two threads', median(ofTwo), '', { atLeast: 1.28 }),
    report('in one thread, with what names it by its content', median(both), ''),
    report('memory for a file of 2 GB, more than before', (most - before) / 1024 ** 2, 'MB', { atMost: 100 }),
  ];
}

/** The same by the command, as it is built: all of it on all cores, without the time that it takes for a small one. */
async function benchThreads(): Promise<Figure[]> {
  const shares: number[] = [];
  for (let round = 0; round < 3; round++) {
    const raw = await rawSeconds();
    const times = await Promise.all(
      [10, large].map(async (size) => {
        const site = await siteToSeal(
          { films: { covers: ['/films/'], passwords: { aa: 'one' } } },
          { 'films/one.mp4': randomBytes(size) },
        );
        return site;
      }),
    ).then(async ([small, big]) => {
      const sealing = async (site: typeof small) => {
        const args = ['seal', '--out', 'sealed', '--accept-weak', '--rounds', '210000'];
        const time = await seconds(() => dorlin(site?.folder ?? '', args));
        await site?.remove();
        return time;
      };
      return [await sealing(small), await sealing(big)] as const;
    });
    shares.push(raw / (times[1] - times[0]));
  }
  return [report('naming and sealing it by the command, on all cores', median(shares), '')];
}

/** A walk that reads of every file its time and what it holds. */
async function walkSeconds(folder: string): Promise<number> {
  return seconds(async () => {
    const all = await readdir(folder, { recursive: true, withFileTypes: true });
    for (const one of all.filter((entry) => entry.isFile())) {
      const file = join(one.parentPath, one.name);
      await stat(file);
      createHash('sha256')
        .update(await readFile(file))
        .digest('hex');
    }
  });
}

async function benchPages(): Promise<Figure[]> {
  const text = (at: number) =>
    `<!doctype html><title>Night ${at}</title>${Array.from({ length: 120 }, (_, line) => `<p>${at * line} clear, the ${line}th of the moor and its birds, seeing ${(at * 7 + line) % 9}</p>`).join('')}`;
  const files = Object.fromEntries(Array.from({ length: 2000 }, (_, at) => [`logs/${at}.html`, text(at)]));
  const site = await siteToSeal(
    { logs: { covers: ['/logs/'], passwords: { aa: 'one' } } },
    { 'index.html': 'x', ...files },
  );
  // What judges passwords is loaded once a process, however many pages there are.
  const small = await siteToSeal({ logs: { covers: ['/logs/'], passwords: { aa: 'one' } } }, { 'logs/1.html': 'x' });
  await small.seal();
  await small.remove();
  const first = await seconds(() => site.seal());
  const again: number[] = [];
  for (let round = 0; round < 3; round++) {
    const handle = await open(join(site.site, 'logs/7.html'), 'a');
    await handle.write('<p>more</p>');
    await handle.close();
    const sealing = await seconds(() => site.seal());
    again.push(sealing / (await walkSeconds(site.site)));
  }
  await site.remove();
  return [
    report('pages of 10 kB a second, packed, with their screens', 2000 / first, '', { atLeast: 1200 }),
    report('again with one page changed, times a walk that hashes', median(again), '', { atMost: 1.3 }),
  ];
}

/** From the right password to the page, beside PBKDF2 alone in the same browser. */
async function benchOpening(): Promise<Figure[]> {
  if (skipBrowser !== false) return [];
  const site = await siteToSeal(
    { members: { covers: ['/members/'], passwords: { aa: 'comet lantern' }, remember: '30 days' } },
    { 'index.html': 'x', 'members/log.html': '<!doctype html><title>Log</title><h1>Log</h1>' },
  );
  await site.seal({ rounds: 600_000 });
  const host = await plainHost(site.out);
  const browser = await launch();
  const over: number[] = [];
  for (let round = 0; round < 5; round++) {
    const page = await freshPage(browser, host.url);
    await page.goto('members/log');
    await page.waitForFunction(async () => (await navigator.serviceWorker.ready).active?.state === 'activated');
    const alone = await page.evaluate(async () => {
      const start = performance.now();
      const key = await crypto.subtle.importKey('raw', new Uint8Array(13), 'PBKDF2', false, ['deriveBits']);
      await crypto.subtle.deriveBits(
        { name: 'PBKDF2', hash: 'SHA-512', salt: new Uint8Array(34), iterations: 600_000 },
        key,
        256,
      );
      return performance.now() - start;
    });
    await page.locator('#password').fill('comet lantern');
    const opening = await seconds(async () => {
      await page.keyboard.press('Enter');
      await page.getByRole('heading', { name: 'Log' }).waitFor();
    });
    over.push(opening * 1000 - 1.2 * alone);
    await page.context().close();
  }
  await browser.close();
  host.close();
  await site.remove();
  return [report('right password to page, beyond 1.2 times PBKDF2 alone', median(over), 'ms', { atMost: 200 })];
}

/**
 * In memory, where a system has such a folder: how long a disk takes to be written to changes by the minute, and where
 * many files were deleted a while before, ext4 takes up to ten times as long to make new ones.
 */
export async function benchSealing(): Promise<Figure[]> {
  if (existsSync('/dev/shm')) process.env['TMPDIR'] = '/dev/shm';
  return [...(await benchLarge()), ...(await benchThreads()), ...(await benchPages()), ...(await benchOpening())];
}
