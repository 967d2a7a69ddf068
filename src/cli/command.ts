import { Command } from 'commander';
import { resolve } from 'node:path';
import { dirname } from 'node:path';
import type { Policy } from '../core/policy/compile.js';
import { DorlinError } from '../core/errors.js';

/** The options that every command with a policy takes. */
export interface CommonOptions {
  readonly policy: string;
  readonly json?: boolean;
}

/** A command with what all of ours have: help with an example, JSON, errors as exceptions. */
export function makeCommand(name: string, summary: string, example: string): Command {
  return new Command(name)
    .description(capitalized(summary))
    .usage('[options]')
    .option('--json', 'print JSON for machines')
    .exitOverride()
    .showSuggestionAfterError()
    .configureHelp({ showGlobalOptions: false })
    .addHelpText('after', `\nExample:\n${example.replace(/^/gm, '  ')}`);
}

/** The same, for commands about a policy. */
export function makePolicyCommand(name: string, summary: string, example: string): Command {
  return makeCommand(name, summary, example).option(
    '--policy <file>',
    'the policy file',
    'dorlin.yaml',
  );
}

/**
 * The folder of a site's files: the one named on the command line, else `site.folder`.
 * @throws DorlinError `folder-missing` where neither names one
 */
export function siteFolder(policyFile: string, policy: Policy, named?: string): string {
  if (named !== undefined) return resolve(named);
  const { folder } = policy.site;
  if (folder !== undefined) return resolve(dirname(policyFile), folder);
  throw new DorlinError(
    'folder-missing',
    `${policyFile} does not say where the site’s files are.`,
    {
      mend: 'Name the folder with `--folder`, or write `folder:` under `site:` in the policy.',
    },
  );
}

function capitalized(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
