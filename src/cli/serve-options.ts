import type { Command } from 'commander';
import type { CommonOptions } from './command.js';
import type { OperationOptions } from './operations.js';

/** The options of commands that stand before a site. */
export interface ServeOptions extends CommonOptions, OperationOptions {
  readonly redis?: string;
  readonly site?: string;
  readonly everySite?: boolean;
  readonly folder?: string;
  readonly to?: string;
  readonly port?: string;
  readonly host: string;
  readonly console?: string | true;
}

/** Adds the options by which many machines share a site. */
export function takeStore(command: Command): Command {
  return command
    .option('--redis <url>', 'the store that all machines share, in the place of the policy file; else `DORLIN_REDIS`')
    .option('--site <id>', 'which site of that store')
    .option('--every-site', 'every site of that store, each by its hosts');
}
