import type { Command } from 'commander';
import { makeSnippet, webServers } from '../owner/snippet/snippet.js';
import { makePolicyCommand, type CommonOptions } from './command.js';
import { paint, print, printError, printJson } from './output.js';
import { authorizePort, portOf } from './ports.js';

interface SnippetOptions extends CommonOptions {
  readonly folder?: string;
  readonly to?: string;
  readonly server?: string[];
  readonly port?: string;
  readonly certificate?: string;
  readonly key?: string;
  readonly at: string;
}

export function command(summary: string): Command {
  return makePolicyCommand('snippet', summary, 'dorlin snippet nginx > /etc/nginx/conf.d/observatory.conf')
    .usage(`${webServers.join('|')} [options]`)
    .argument('<server>', webServers.join(' or '))
    .option('--folder <dir>', 'the folder that the web server serves; else the policy’s `site.folder`')
    .option('--to <url>', 'the application that it hands requests on to, such as http://127.0.0.1:3000')
    .option('--server <name...>', 'the host names it answers for; else that of `site.origin`')
    .option('--port <port>', 'the port it listens at (443 with a certificate, else 80)')
    .option('--certificate <file>', 'with `--key`: the certificate by which it speaks TLS and HTTP/2')
    .option('--key <file>', 'the key of that certificate')
    .option('--at <host:port>', 'where `dorlin authorize` listens', `127.0.0.1:${authorizePort}`)
    .action(snippet);
}

async function snippet(server: string, options: SnippetOptions): Promise<void> {
  const { policy, folder, to, at, certificate, key } = options;
  const port = options.port === undefined ? undefined : portOf(options.port);
  const made = await makeSnippet(policy, server, {
    folder,
    to,
    names: options.server,
    port,
    certificate,
    key,
    authorizer: at,
  });
  if (options.json === true) {
    printJson(made);
    return;
  }
  print(made.text.trimEnd());
  // Not among what goes into the file.
  for (const line of made.warnings) printError(paint.yellow(line));
}
