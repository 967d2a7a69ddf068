// Caddy serves the files, and asks Dorlin before each: `npm start -w examples/caddy`.
// On a server you would do it by hand, once:  dorlin snippet caddy > /etc/caddy/Caddyfile
import { execFileSync } from 'node:child_process';
import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { dorlin, run, small } from '../small-site/beside.mjs';

const port = process.env.PORT ?? '4318';
const asks = process.env.ASKS ?? '4328';
const folder = await mkdtemp(join(tmpdir(), 'dorlin-caddy-'));

const of = ['--policy', `${small}dorlin.yaml`];
run(process.execPath, [dorlin, 'authorize', ...of, '--port', asks]);
const snippet = ['snippet', 'caddy', ...of, '--server', 'localhost', '--port', port, '--at', `127.0.0.1:${asks}`];
const text = execFileSync(process.execPath, [dorlin, ...snippet], { encoding: 'utf8' });
const config = join(folder, 'Caddyfile');
await writeFile(config, `{\n\tadmin off\n\tauto_https off\n}\n${text}`);
run('caddy', ['run', '--adapter', 'caddyfile', '--config', config]);
console.log(`Caddy, which asks: http://localhost:${port}/`);
