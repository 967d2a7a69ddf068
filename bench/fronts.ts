import { spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';
import { makeSnippet } from '../src/owner/snippet/snippet.js';
import { policyText } from '../test/support/policies.js';
import { freePort, startProgram } from '../test/support/programs.js';
import { temporaryFolder, writeFiles } from '../test/support/sites.js';
import { startNginx } from '../test/support/web-servers.js';
import { askedChild } from './child.js';
import { median, report, type Figure } from './figures.js';

const root = fileURLToPath(new URL('..', import.meta.url));
const program = `${root}node_modules/.cache/dorlin-bench/fronts-child.mjs`;
const frameworks = [
  'node:http',
  'Connect 3',
  'Express 5',
  'Fastify 5',
  'fetch, around Hono',
  'fetch, around Hono whose pages have an ETag',
  'Hono, as middleware',
];
const processes = 3;
const warm = 6000;
const rounds = 20;
const requests = 400;

/** The frameworks bare and guarded, by the processor time that an open page takes. */
async function ofFrameworks(): Promise<Figure[]> {
  const figures: Figure[] = [];
  for (const framework of frameworks) {
    const kinds = [['bare'], ['open'], ['open', 'no-marks']];
    const shares = { open: [] as number[], unmarked: [] as number[] };
    for (let process = 0; process < processes; process++) {
      // Side by side and by turns: what else the machine does then falls on all of them alike.
      const children = kinds.map((kind) => askedChild(program, [framework, ...kind]));
      for (const child of children) await child.ask(String(warm));
      const times = kinds.map((): number[] => []);
      for (let round = 0; round < rounds; round++) {
        for (const [at, child] of children.entries()) times[at]?.push(await child.ask(String(requests)));
      }
      for (const child of children) child.end();
      const [bare = NaN, open = NaN, unmarked = NaN] = times.map(median);
      shares.open.push(bare / open);
      shares.unmarked.push(bare / unmarked);
    }
    figures.push(
      report(`${framework}: open page, CPU time of bare by that of guarded`, median(shares.open), '', {
        atLeast: 0.93,
      }),
      report(`${framework}: the same where pages have no marks`, median(shares.unmarked), '', {
        atLeast: 0.93,
      }),
    );
  }
  return figures;
}

/** What a process has grown by after a million visits, the first hundred thousand left out. */
async function ofMillion(): Promise<Figure> {
  const child = askedChild(program, ['fetch alone', 'open']);
  const before = await child.ask('200000');
  const grown = (await child.ask('1000000')) - before;
  child.end();
  return report('a million visits through the fetch adapter: growth of memory', grown, 'MB', { atMost: 20 });
}

/** Requests a second through nginx that asks Dorlin, by those through nginx that asks a server that says yes. */
async function ofNginx(): Promise<Figure[]> {
  if (spawnSync('sh', ['-c', 'command -v nginx && command -v wrk']).status !== 0) return [];
  const { folder, remove } = await temporaryFolder();
  const page = `<!doctype html><p>${'A page of ordinary length. '.repeat(300)}</p>`;
  const policyFile = join(folder, 'dorlin.yaml');
  await writeFiles(folder, {
    'site/about.html': page,
    'dorlin.yaml': await policyText(
      { members: { covers: ['/members/'] } },
      { trustedProxies: ['127.0.0.1/32'], marks: false },
    ),
  });
  const beside = await startProgram(
    process.execPath,
    [
      'dist/node/dorlin.js',
      'authorize',
      '--policy',
      policyFile,
      '--folder',
      join(folder, 'site'),
      '--port',
      '0',
      '--json',
    ],
    (said) => said.includes('"listening"'),
  );
  const dorlin = `127.0.0.1:${/localhost:(\d+)/.exec(beside.said())?.[1] ?? ''}`;
  // In a process of its own, as Dorlin is.
  const says =
    "require('http').createServer((_, r) => r.writeHead(204).end()).listen(0, '127.0.0.1', function () { console.log('at ' + this.address().port + '.'); })";
  const yes = await startProgram(process.execPath, ['-e', says], (said) => said.includes('.'));
  const trivial = `127.0.0.1:${/at (\d+)/.exec(yes.said())?.[1] ?? ''}`;
  const rates = { dorlin: [] as number[], trivial: [] as number[] };
  for (let round = 0; round < 5; round++) {
    for (const [name, authorizer] of Object.entries({ dorlin, trivial })) {
      const port = await freePort();
      const { text } = await makeSnippet(policyFile, 'nginx', {
        folder: join(folder, 'site'),
        port,
        names: [],
        authorizer,
      });
      const nginx = await startNginx(join(folder, `${name}-${round}`, '..'), text, port);
      const { stdout } = spawnSync('wrk', ['-t1', '-c16', '-d3s', `http://127.0.0.1:${port}/about`], {
        encoding: 'utf8',
      });
      rates[name as keyof typeof rates].push(Number(/Requests\/sec:\s+([\d.]+)/.exec(stdout)?.[1]));
      await nginx.end();
    }
  }
  await yes.end();
  await beside.end();
  await remove();
  return [
    report('nginx that asks Dorlin, requests a second', median(rates.dorlin), '', {}),
    report('the same by those where a server always says yes', median(rates.dorlin) / median(rates.trivial), '', {
      atLeast: 0.85,
    }),
  ];
}

/** What the fronts cost. */
export async function benchFronts(): Promise<Figure[]> {
  await build({
    entryPoints: [`${root}bench/fronts-child.ts`],
    outfile: program,
    bundle: true,
    packages: 'external',
    format: 'esm',
    platform: 'node',
  });
  return [...(await ofFrameworks()), await ofMillion(), ...(await ofNginx())];
}
