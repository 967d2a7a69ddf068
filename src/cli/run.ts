import { CommanderError } from 'commander';
import { closest, distance } from 'fastest-levenshtein';
import { DorlinError } from '../core/errors.js';
import type { ListedCommand } from './command-list.js';
import { hasFound, printError, printJson } from './output.js';

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
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    if (isEndOfPrompt(error)) return 2;
    if (error instanceof DorlinError) {
      if (rest.includes('--json')) {
        printJson({ error: { code: error.code, message: error.message } });
      } else printError(error.message);
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
