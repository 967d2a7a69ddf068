import { Command } from 'commander';
import { openDraft } from '../stores/draft.js';
import { storeAddress, tieOf } from '../stores/tie.js';
import { paint, print } from './output.js';
import { streams } from './streams.js';

/** The options that every command with a policy takes. */
export interface CommonOptions {
  readonly policy: string;
  readonly json?: boolean;
}

/** What all commands and groups of them have: help in our form, errors as exceptions. */
function common(command: Command, example: string): Command {
  return command
    .exitOverride()
    .showSuggestionAfterError()
    .configureOutput({
      writeOut: (text) => streams().out.write(text),
      // Told once, and in our own form, where the command was called.
      writeErr: () => undefined,
    })
    .configureHelp({
      showGlobalOptions: false,
      commandUsage: (self) => {
        const names: string[] = [];
        for (let one: Command | null = self; one !== null; one = one.parent) names.unshift(one.name());
        return `dorlin ${names.join(' ')} ${self.usage()}`;
      },
    })
    .addHelpText('after', `\nExample:\n${example.replace(/^/gm, '  ')}`);
}

/** A command with what all of ours have: help with an example, JSON, errors as exceptions. */
export function makeCommand(name: string, summary: string, example: string): Command {
  const command = new Command(name)
    .description(capitalized(summary))
    .usage('[options]')
    .option('--json', 'print JSON for machines');
  return common(command, example);
}

/** Several commands under one name. */
export function makeGroup(name: string, summary: string, example: string): Command {
  return common(new Command(name).description(capitalized(summary)).usage('COMMAND [options]'), example);
}

/** The same, for commands about a policy. */
export function makePolicyCommand(
  name: string,
  summary: string,
  example: string,
  { isFreshened = true }: PolicyCommandOptions = {},
): Command {
  const command = makeCommand(name, summary, example).option('--policy <file>', 'the policy file', 'dorlin.yaml');
  if (!isFreshened) return command;
  return command.hook('preAction', async (self) => {
    const { policy } = self.opts<CommonOptions>();
    // Nothing of Redis is loaded where there is none.
    if (storeAddress() === undefined || (await tieOf(policy)) === undefined) return;
    const { freshen } = await import('../stores/redis/working-copy.js');
    await freshen(policy);
  });
}

interface PolicyCommandOptions {
  /** Whether what was changed in the store that many machines share is taken over first. @default yes */
  readonly isFreshened?: boolean;
}

/**
 * The same, for commands that edit the policy, or its draft instead.
 */
export function makeEditCommand(name: string, summary: string, example: string): Command {
  return makePolicyCommand(name, summary, example)
    .option('--draft', 'gather the edit in a draft, until `dorlin live`')
    .hook('preAction', async (self) => {
      const { policy, draft } = self.opts<CommonOptions & { draft?: boolean }>();
      if (draft === true) self.setOptionValue('policy', await openDraft(policy));
    })
    .hook('postAction', (self) => {
      const { draft, json } = self.opts<CommonOptions & { draft?: boolean }>();
      if (draft !== true || json === true) return;
      print(paint.dim('In the draft. It counts once you run `dorlin live`; `dorlin review` shows all of it.'));
    });
}

function capitalized(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}
