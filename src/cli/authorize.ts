import type { Command } from 'commander';
import { warningsFor } from '../owner/snippet/snippet.js';
import { makePolicyCommand } from './command.js';
import { paint, print } from './output.js';
import { authorizePort } from './ports.js';
import { serve, type ServeOptions } from './serve.js';
import { untilTold } from './told.js';

export function command(summary: string): Command {
  return makePolicyCommand('authorize', summary, 'dorlin authorize --folder dist --port 4281')
    .option('--folder <dir>', 'the folder that the web server serves; else the policy’s `site.folder`')
    .option('--to <url>', 'the application behind the web server, such as http://127.0.0.1:3000')
    .option('--port <port>', `where to listen; else ${authorizePort}`)
    .option('--host <address>', 'on which address to listen', '127.0.0.1')
    .action(async (options: ServeOptions) => {
      const told = untilTold();
      const site = await serve(
        { ...options, port: options.port ?? String(authorizePort) },
        {
          mayLackSite: true,
          sayMore: (_, policy, source) => {
            print();
            print('  Web servers ask it before they serve: dorlin snippet nginx, dorlin snippet caddy');
            for (const line of warningsFor(policy, source !== undefined && 'folder' in source))
              print(`  ${paint.yellow(line)}`);
          },
        },
      );
      await told;
      await site.close();
    });
}
