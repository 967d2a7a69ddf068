import { CommanderError } from 'commander';
import { closest, distance } from 'fastest-levenshtein';
import { DorlinError } from '../core/errors.js';
import type { ListedCommand } from './command-list.js';
import { beginAnew, hasFound, printError, printJson } from './output.js';
import { systemError } from './system-error.js';

/** Exit codes: 0 done, 1 found something, 2 the call or a file was wrong, 3 a mistake of ours. */
export type ExitCode = 0 | 1 | 2 | 3;

/** Runs one command of the list. All errors end here, in words and an exit code. */
export async function runCommand(list: readonly ListedCommand[], words: readonly string[]): Promise<ExitCode> {
  const [name = '', ...rest] = words;
  return ended(name, rest.includes('--json'), async () => {
    const listed = list.find((one) => one.name === name);
    if (listed === undefined) throw unknownCommand(name, list);
    const { command } = await listed.load();
    await command(listed.summary).parseAsync(rest, { from: 'user' });
  });
}

/** Says where one stands, where no command was given. */
export function runStart(asJson: boolean): Promise<ExitCode> {
  return ended('', asJson, async () => {
    const { start } = await import('./start.js');
    await start(asJson);
  });
}

async function ended(name: string, asJson: boolean, work: () => Promise<void>): Promise<ExitCode> {
  beginAnew();
  try {
    await work();
    return hasFound() ? 1 : 0;
  } catch (error) {
    if (isEndOfPrompt(error)) return 2;
    const tell = (code: string, message: string) => {
      if (asJson) printJson({ error: { code, message } });
      else printError(message);
    };
    const wrong = error instanceof CommanderError ? callError(error, name) : undefined;
    if (wrong === 'told') return 0;
    const known = wrong ?? (error instanceof DorlinError ? error : systemError(error));
    if (known !== undefined) {
      tell(known.code, known.message);
      return 2;
    }
    printError(error instanceof Error ? (error.stack ?? error.message) : String(error));
    return 3;
  }
}

/** What was wrong with a call, in our words; `told` where nothing was, as help had been asked for. */
function callError(error: CommanderError, name: string): DorlinError | 'told' {
  if (error.exitCode === 0) return 'told';
  const [what = '', ...more] = error.message.replace(/^error: /, '').split('\n');
  const near = /Did you mean (?:one of )?([^?]+)\?/.exec(more.join(' '))?.[1];
  const mend = near === undefined ? `See how it is called: dorlin ${name} --help` : `Did you mean ${near}?`;
  const wrong = (text: string) => new DorlinError('call-wrong', text, { mend });
  const quoted = /'([^']*)'/.exec(what)?.[1] ?? '';
  switch (error.code) {
    case 'commander.unknownOption':
      return wrong(`There is no option \`${quoted}\` here.`);
    case 'commander.missingArgument':
      return wrong(`${quoted.toUpperCase()} is missing: the call must name it.`);
    case 'commander.optionMissingArgument':
      return wrong(`Behind \`${quoted.split(' ')[0] ?? ''}\` something is missing.`);
    case 'commander.excessArguments':
      return wrong('That is one word too many. What has spaces in it is put in quotes.');
    case 'commander.unknownCommand':
      return wrong(`There is no \`dorlin ${name} ${quoted}\`.`);
    case 'commander.help':
      return wrong(`\`dorlin ${name}\` is several commands: say which.`);
    default:
      return wrong(`${what}.`);
  }
}

function unknownCommand(name: string, list: readonly ListedCommand[]): DorlinError {
  const names = list.map((one) => one.name);
  const nearest = closest(name, names);
  const hint =
    distance(name, nearest) <= 2 ? `Did you mean \`dorlin ${nearest}\`?` : 'Run `dorlin --help` to see them all.';
  return new DorlinError('call-wrong', `There is no command \`${name}\`.`, { mend: hint });
}

/** Ctrl-C or the end of input at a prompt. */
function isEndOfPrompt(error: unknown): boolean {
  return error instanceof Error && error.name === 'ExitPromptError';
}
