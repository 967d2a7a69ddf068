import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { fileURLToPath } from 'node:url';
import { execa } from 'execa';

export const repository = fileURLToPath(new URL('../..', import.meta.url));
const program = fileURLToPath(new URL('../../dist/cli/main.js', import.meta.url));

/** Runs `dorlin` as a process and gives back what it printed and its exit code. */
export async function dorlin(folder: string, words: readonly string[], input?: string) {
  const { stdout, stderr, exitCode } = await execa(process.execPath, [program, ...words], {
    cwd: folder,
    reject: false,
    timeout: 60_000,
    env: { DORLIN_SECRET: '' },
    ...(input === undefined ? { stdin: 'ignore' } : { input }),
  });
  return { stdout, stderr, exitCode };
}

const alive = new Set<ChildProcess>();

/** Ends what a failed test has left running. */
export function endAll(): void {
  for (const child of alive) child.kill('SIGKILL');
}

/** Starts a `dorlin` that goes on running, and waits until it says where it listens. */
export async function running(folder: string, words: readonly string[]) {
  const child = spawn(process.execPath, [program, ...words], {
    cwd: folder,
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  alive.add(child);
  child.once('exit', () => alive.delete(child));
  let printed = '';
  const url = await new Promise<string>((resolve, reject) => {
    const read = (data: Buffer) => {
      printed += data.toString();
      const found = /http:\/\/localhost:(\d+)\//.exec(printed);
      // The line is whole when the one after it has come.
      if (found && printed.includes('Ctrl-C')) resolve(`http://127.0.0.1:${found[1] ?? ''}`);
    };
    child.stdout.on('data', read);
    child.stderr.on('data', read);
    child.once('exit', () => {
      reject(new Error(`it ended: ${printed}`));
    });
  });
  return {
    url,
    printed: () => printed,
    /** Sends a signal and waits for the end. */
    end: async (signal: NodeJS.Signals = 'SIGINT') => {
      const exited = once(child, 'exit');
      child.kill(signal);
      const [code] = (await exited) as [number | null];
      return code;
    },
  };
}
