import { CommanderError } from 'commander';
import { closest, distance } from 'fastest-levenshtein';
import { DorlinError } from '../core/errors.js';
import type { ListedCommand } from './command-list.js';
import { hasFound, printError, printJson } from './output.js';
import { systemError } from './system-error.js';

/** Exit codes: 0 done, 1 found something, 2 the call or a file was wrong, 3 a mistake of ours. */
export type ExitCode = 0 | 1 | 2 | 3;

/** Runs one command of the list. All errors end here, in words and an exit code. */
export async function runCommand(
  list: readonly ListedCommand[],
  words: readonly string[],
): Promise<ExitCode> {
  const [name = '', ...rest] = words;
  const listed = list.find((one) => one.name === name);
  try {
    if (listed === undefined) throw unknownCommand(name, list);
    const { command } = await listed.load();
    await command(listed.summary).parseAsync(rest, { from: 'user' });
    return hasFound() ? 1 : 0;
  } catch (error) {
    if (isEndOfPrompt(error)) return 2;
    const asJson = rest.includes('--json');
    const tell = (code: string, message: string) => {
      if (asJson) printJson({ error: { code, message } });
      else printError(message);
    };
    if (error instanceof CommanderError) {
      if (error.exitCode === 0) return 0;
      // In words it was told already.
      if (asJson) tell('call-wrong', error.message.replace(/^error: /, ''));
      return 2;
    }
    const known = error instanceof DorlinError ? error : systemError(error);
    if (known !== undefined) {
      tell(known.code, known.message);
      return 2;
    }
    printError(error instanceof Error ? (error.stack ?? error.message) : String(error));
    return 3;
  }
}

function unknownCommand(name: string, list: readonly ListedCommand[]): DorlinError {
  const names = list.map((one) => one.name);
  const nearest = closest(name, names);
  const hint =
    distance(name, nearest) <= 2
      ? `Did you mean \`dorlin ${nearest}\`?`
      : 'Run `dorlin --help` to see them all.';
  return new DorlinError('call-wrong', `There is no command \`${name}\`.`, { mend: hint });
}

/** Ctrl-C or the end of input at a prompt. */
function isEndOfPrompt(error: unknown): boolean {
  return error instanceof Error && error.name === 'ExitPromptError';
}
