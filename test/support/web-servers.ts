import { chmod, mkdir, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { makeSnippet, type WebServer } from '../../src/owner/snippet/snippet.js';
import { makeCertificate } from './certificates.js';
import { answersAt, freePort, startProgram, type RunningProgram } from './programs.js';

/** A web server that asks Dorlin before it serves. */
export interface AskingServer {
  readonly port: number;
  readonly close: () => Promise<void>;
}

/** What it serves, and by which policy. */
export interface Asked {
  /** Where its own files may lie. */
  readonly folder: string;
  readonly policyFile: string;
  /** @default the folder `site` in it */
  readonly to?: string;
  /** Whether visitors come by HTTP/2 over TLS. @default false */
  readonly isSecure?: boolean;
}

/** The web server with the configuration that we print for it, and `dorlin authorize` beside it. */
export async function startAsking(
  server: WebServer,
  { folder, policyFile, to, isSecure = false }: Asked,
): Promise<AskingServer> {
  const site = join(folder, 'site');
  const of = to === undefined ? ['--folder', site] : ['--to', to];
  const beside = await startProgram(
    process.execPath,
    ['dist/node/dorlin.js', 'authorize', '--policy', policyFile, ...of, '--port', '0', '--json'],
    (said) => said.includes('"listening"'),
  );
  const authorizer = /"url":"http:\/\/localhost:(\d+)/.exec(beside.said())?.[1] ?? '';
  const port = await freePort();
  const { text } = await makeSnippet(policyFile, server, {
    ...(to === undefined ? { folder: site } : { to }),
    port,
    ...(isSecure && makeCertificate(folder, ['heron.example', 'site.example', 'localhost'])),
    names: server === 'nginx' ? [] : ['heron.example', 'site.example', '127.0.0.1'],
    authorizer: `127.0.0.1:${authorizer}`,
  });
  const running = await starts[server](folder, text, port);
  return {
    port,
    close: async () => {
      await running.end();
      await beside.end();
    },
  };
}

const starts = { nginx: startNginx, caddy: startCaddy };

/** Runs nginx with a configuration inside its `http`. */
export async function startNginx(folder: string, text: string, port: number): Promise<RunningProgram> {
  const place = join(folder, 'nginx');
  await mkdir(join(place, 'temporary'), { recursive: true });
  const config = join(place, 'nginx.conf');
  const temporary = ['client_body', 'proxy', 'fastcgi', 'uwsgi', 'scgi'].map(
    (name) => `  ${name}_temp_path ${join(place, 'temporary', name)};\n`,
  );
  await writeFile(
    config,
    `daemon off;
user root;
pid ${join(place, 'pid')};
events { worker_connections 4096; }
http {
  include /etc/nginx/mime.types;
  access_log off;
${temporary.join('')}${text}
}
`,
  );
  await chmod(folder, 0o755);
  return startProgram('nginx', ['-e', join(place, 'error.log'), '-c', config], answersAt(port));
}

async function startCaddy(folder: string, text: string, port: number): Promise<RunningProgram> {
  const config = join(folder, 'Caddyfile');
  await writeFile(config, `{\n\tadmin off\n\tauto_https off\n}\n${text}`);
  const home = { ...process.env, HOME: folder, XDG_DATA_HOME: folder, XDG_CONFIG_HOME: folder };
  return startProgram('caddy', ['run', '--adapter', 'caddyfile', '--config', config], answersAt(port), home);
}
