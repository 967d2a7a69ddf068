import type { Command } from 'commander';
import { warningsFor } from '../owner/snippet/snippet.js';
import { makePolicyCommand } from './command.js';
import { paint, print } from './output.js';
import { authorizePort } from './ports.js';
import { endWhenTold, serve } from './serve.js';
import { takeStore, type ServeOptions } from './serve-options.js';
import { takeOperations } from './operations.js';
import { serveShared } from './serve-shared.js';
import { storeAddress } from '../stores/tie.js';
import { untilTold } from './told.js';

export function command(summary: string): Command {
  const made = makePolicyCommand('authorize', summary, 'dorlin authorize --folder dist --port 4281', {
    isFreshened: false,
  });
  return takeOperations(takeStore(made))
    .option('--folder <dir>', 'the folder that the web server serves; else the policy’s `site.folder`')
    .option('--to <url>', 'the application behind the web server, such as http://127.0.0.1:3000')
    .option('--port <port>', `where to listen; else ${authorizePort}`)
    .option('--host <address>', 'on which address to listen', '127.0.0.1')
    .action(async (options: ServeOptions) => {
      const told = untilTold();
      const wanted = { ...options, port: options.port ?? String(authorizePort) };
      const store = storeAddress(options.redis);
      if (store !== undefined) {
        await endWhenTold(await serveShared(store, wanted, { mayLackSite: true }), told, options);
        return;
      }
      const site = await serve(wanted, {
        mayLackSite: true,
        sayMore: (_, policy, source) => {
          print();
          print('  Web servers ask it before they serve: dorlin snippet nginx, dorlin snippet caddy');
          for (const line of warningsFor(policy, source)) print(`  ${paint.yellow(line)}`);
        },
      });
      await endWhenTold(site, told, options);
    });
}
