import { Command } from 'commander';
import { dirname, resolve } from 'node:path';
import type { Policy } from '../core/policy/types.js';
import { DorlinError } from '../core/errors.js';
import { openDraft } from '../stores/draft.js';
import { paint, print } from './output.js';

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
 * The same, for commands that edit the policy, or its draft instead.
 */
export function makeEditCommand(name: string, summary: string, example: string): Command {
  return withDraft(makePolicyCommand(name, summary, example));
}

function withDraft(command: Command): Command {
  return command
    .option('--draft', 'gather the edit in a draft, until `dorlin live`')
    .hook('preAction', async (self) => {
      const { policy, draft } = self.opts<CommonOptions & { draft?: boolean }>();
      if (draft === true) self.setOptionValue('policy', await openDraft(policy));
    })
    .hook('postAction', (self) => {
      const { draft, json } = self.opts<CommonOptions & { draft?: boolean }>();
      if (draft !== true || json === true) return;
      print(paint.dim('In the draft. It counts once you run `dorlin live`; `dorlin review` shows all of it.')); // prettier-ignore
    });
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
