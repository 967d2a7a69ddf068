// nginx serves the files, and asks Dorlin before each: `npm start -w examples/nginx`.
// On a server you would do it by hand, once:  dorlin snippet nginx > /etc/nginx/conf.d/site.conf
import { execFileSync } from 'node:child_process';
import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dorlin, run, small } from '../small-site/beside.mjs';

const port = process.env.PORT ?? '4317';
const asks = process.env.ASKS ?? '4327';
const folder = await mkdtemp(join(tmpdir(), 'dorlin-nginx-'));

const of = ['--policy', `${small}dorlin.yaml`];
run(process.execPath, [dorlin, 'authorize', ...of, '--port', asks]);
const snippet = ['snippet', 'nginx', ...of, '--server', 'localhost', '--port', port, '--at', `127.0.0.1:${asks}`];
const text = execFileSync(process.execPath, [dorlin, ...snippet], { encoding: 'utf8' });
const config = join(folder, 'nginx.conf');
await writeFile(
  config,
  `daemon off;
pid ${folder}/nginx.pid;
events {}
http {
  include /etc/nginx/mime.types;
  access_log off;
${['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'].map((name) => `  ${name}_temp_path ${folder}/${name};`).join('\n')}
${text}
}
`,
);
const asRoot = process.getuid() === 0 ? ['-g', 'user root;'] : [];
run('nginx', ['-e', 'stderr', '-c', config, ...asRoot]);
console.log(`nginx, which asks: http://localhost:${port}/`);
