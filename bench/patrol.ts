import { spawn } from 'node:child_process';
import { cp, mkdtemp, readdir, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { execa } from 'execa';
import { dorlin, endAll, running } from '../test/support/command-line.js';
import { median, report, type Figure } from './figures.js';

/** From the Debian package `python-django-doc`: some 700 pages with a search index. */
const documentation = '/usr/share/doc/python-django-doc/html';
const rounds = 5;
const atOnce = 6;
const program = fileURLToPath(new URL('../dist/node/dorlin.js', import.meta.url));

/** Asks for all of them, so many at once, and reads every answer to its end. */
const bareFetch = `
const { addresses, origin } = JSON.parse(require('node:fs').readFileSync(0, 'utf8'));
const start = process.hrtime.bigint();
const next = async () => {
  for (let target; (target = addresses.pop()) !== undefined; ) {
    const answer = await fetch(origin + target, { redirect: 'manual' });
    await answer.arrayBuffer();
  }
};
Promise.all(Array.from({ length: ${atOnce} }, next)).then(() => {
  console.log(Number(process.hrtime.bigint() - start) / 1e9);
});`;

interface Patrolled {
  readonly seconds: number;
  readonly walk: { readonly addresses: number; readonly seconds: number };
  readonly walked: readonly string[];
  readonly findings: readonly {
    readonly code: string;
    readonly place: string;
    readonly cases: readonly { readonly where: string }[];
  }[];
}

/** A patrol over a real documentation, of which a folder is locked, beside a bare fetch of it. */
export async function benchPatrol(): Promise<Figure[]> {
  const isThere = await readdir(documentation).then(
    () => true,
    () => false,
  );
  if (!isThere) {
    console.log('  python-django-doc is not installed: apt-get install python-django-doc');
    return [];
  }
  const folder = await mkdtemp(join(tmpdir(), 'dorlin-bench-'));
  try {
    await cp(documentation, join(folder, 'site'), { recursive: true, dereference: true });
    await dorlin(folder, ['init', 'site', '--name', 'Documentation']);
    await dorlin(folder, ['lock', 'howto', '/howto/']);
    await dorlin(folder, ['password', 'add', 'howto', '--password-stdin'], 'curlew-lantern-nine');
    const { url } = await running(folder, ['serve', '--port', '4391']);
    const ratios: number[] = [];
    const seconds: number[] = [];
    const memory: number[] = [];
    let isFound = true;
    for (let round = 0; round < rounds; round++) {
      const { result, megabytes } = await patrolled(folder, url);
      isFound &&= result.findings.some(
        ({ code, place, cases }) =>
          code === 'words-in-search-index' &&
          place === '/howto/' &&
          cases.some(({ where }) => where === '/searchindex.js'),
      );
      const { stdout } = await execa(process.execPath, ['-e', bareFetch], {
        input: JSON.stringify({ origin: url, addresses: result.walked }),
      });
      const bare = result.walked.length / Number(stdout);
      ratios.push(result.walk.addresses / result.walk.seconds / bare);
      seconds.push(result.seconds);
      memory.push(megabytes);
    }
    const runs = `(${rounds} runs)`;
    return [
      report(`addresses a second, of a bare fetch of the same ${runs}`, median(ratios), '×', { atLeast: 0.6 }),
      report(`a whole patrol, longest ${runs}`, Math.max(...seconds), 's', { atMost: 180 }),
      report(`its memory, most ${runs}`, Math.max(...memory), 'MB', { atMost: 1000 }),
      report('finds the leak in the search index', isFound ? 1 : 0, '', { atLeast: 1 }),
    ];
  } finally {
    endAll();
    await rm(folder, { recursive: true, force: true });
  }
}

/** Runs a patrol, and watches the most memory that it takes. */
async function patrolled(folder: string, url: string) {
  const words = [program, 'patrol', url, '--policy', 'dorlin.yaml', '--json'];
  const child = spawn(process.execPath, words, { cwd: folder, stdio: ['ignore', 'pipe', 'inherit'] });
  let printed = '';
  child.stdout.on('data', (data: Buffer) => {
    printed += data.toString();
  });
  let most = 0;
  const watch = setInterval(() => {
    void execa('ps', ['-o', 'rss=', '-p', String(child.pid)], { reject: false }).then(({ stdout }) => {
      most = Math.max(most, Number(stdout) || 0);
    });
  }, 500);
  await new Promise((resolve) => child.once('close', resolve));
  clearInterval(watch);
  return { result: JSON.parse(printed) as Patrolled, megabytes: most / 1000 };
}
