// `npm start`: builds and seals the observatory, and serves it from hosts that know files and nothing else.
import { spawn, spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import sirv from 'sirv';
import { build, preview } from 'vite';

const here = fileURLToPath(new URL('.', import.meta.url));
const dist = join(here, 'dist');
const first = Number(process.env.PORT ?? 4301);
const ports = { files: first, nginx: first + 1, sealed: first + 2, guarded: first + 3 };

const observatory = fileURLToPath(new URL('../observatory', import.meta.url));
if (!existsSync(join(observatory, '.site'))) {
  spawnSync('npm', ['run', '--silent', 'make'], { cwd: observatory, stdio: 'inherit' });
}
const config = { configFile: join(here, 'vite.config.js'), logLevel: 'warn' };
await build({ ...config, logLevel: 'info', build: { reportCompressedSize: false } });

const ends = [];
/** What is served, and where. */
const told = [];
const at = (name, port) => told.push(`  ${name.padEnd(46)} http://localhost:${port}/`);

// A host for files, in three lines.
const files = sirv(dist, { extensions: ['html'] });
const host = createServer((request, response) => {
  files(request, response, () => response.writeHead(404).end());
});
await new Promise((listening) => host.listen(ports.files, '127.0.0.1', listening));
ends.push(
  () => host.closeAllConnections(),
  () => host.close(),
);
at('Sealed, from a server for files', ports.files);

if (spawnSync('sh', ['-c', 'command -v nginx'], { stdio: 'ignore' }).status === 0) {
  const folder = await mkdtemp(join(tmpdir(), 'dorlin-static-'));
  const text = await readFile(join(here, 'nginx.conf'), 'utf8');
  await writeFile(join(folder, 'nginx.conf'), text.replace('DIST', dist).replace('4302', ports.nginx));
  const own = `daemon off; pid ${folder}/nginx.pid; error_log stderr; user root;`;
  const args = [
    '-p',
    folder,
    '-c',
    'nginx.conf',
    '-e',
    'stderr',
    '-g',
    process.getuid() === 0 ? own : own.replace(' user root;', ''),
  ];
  const nginx = spawn('nginx', args, { stdio: ['ignore', 'ignore', 'inherit'] });
  ends.push(
    () => nginx.kill('SIGTERM'),
    () => rm(folder, { recursive: true, force: true }),
  );
  at('Sealed, from nginx with a dozen lines', ports.nginx);
} else console.log('nginx is not here: that one is left out');

for (const kind of ['sealed', 'guarded']) {
  process.env.PREVIEW = kind;
  const server = await preview({ ...config, preview: { port: ports[kind], strictPort: true } });
  ends.push(() => server.close());
  at(kind === 'sealed' ? 'Sealed, from `vite preview`' : 'Unsealed, from `vite preview` behind the guard', ports[kind]);
}

console.log(`\n${told.join('\n')}\n
What opens what:
  /members/log             plover-kettle-amber-dome
  /press/embargoed/        inkwell-harrier-monday
  /visits/teacher-pack     seven-sisters-chalk
  /events#night-walk       nine-stones-one-flask

Ctrl-C ends it.`);
for (const signal of ['SIGINT', 'SIGTERM']) {
  process.once(signal, async () => {
    await Promise.allSettled(ends.map((end) => end()));
    process.exit();
  });
}
