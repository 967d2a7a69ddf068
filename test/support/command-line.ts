import assert from 'node:assert/strict';
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { fileURLToPath } from 'node:url';
import { Readable } from 'node:stream';
import { execa } from 'execa';
import { commandList } from '../../src/cli/command-list.js';
import { runCommand } from '../../src/cli/run.js';
import { withStreams } from '../../src/cli/streams.js';

export const repository = fileURLToPath(new URL('../..', import.meta.url));
const program = fileURLToPath(new URL('../../dist/node/dorlin.js', import.meta.url));

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

/** Starts a `dorlin` that goes on until it is told to end. */
export function following(folder: string, words: readonly string[]) {
  const child = spawn(process.execPath, [program, ...words], {
    cwd: folder,
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  alive.add(child);
  child.once('exit', () => alive.delete(child));
  let printed = '';
  const listeners: ((text: string) => void)[] = [];
  const read = (data: Buffer) => {
    printed += data.toString();
    for (const listener of listeners) listener(printed);
  };
  child.stdout.on('data', read);
  child.stderr.on('data', read);
  return {
    child,
    printed: () => printed,
    onPrinted: (listener: (text: string) => void) => listeners.push(listener),
    /** Sends a signal and waits for the end. */
    end: async (signal: NodeJS.Signals = 'SIGINT') => {
      const exited = once(child, 'exit');
      child.kill(signal);
      const [code] = (await exited) as [number | null];
      return code;
    },
  };
}

/** The same for one that serves, and waits until it says where it listens. */
export async function running(folder: string, words: readonly string[]) {
  const { child, printed, onPrinted, end } = following(folder, words);
  const url = await new Promise<string>((resolve, reject) => {
    onPrinted((text) => {
      const found = /http:\/\/(?:localhost|127\.0\.0\.1):(\d+)\//.exec(text);
      // The line is whole when the one after it has come.
      if (found && text.includes('Ctrl-C')) resolve(`http://127.0.0.1:${found[1] ?? ''}`);
    });
    child.once('exit', () => {
      reject(new Error(`it ended: ${printed()}`));
    });
  });
  return { url, printed, end };
}

let turn: Promise<unknown> = Promise.resolve();

/**
 * The same without a process of its own, one call after the other: for tests that ask what commands say
 * and do, not how they start and end.
 */
export function dorlinHere(folder: string, words: readonly string[], input?: string) {
  const called = turn.then(() => callHere(folder, words, input));
  turn = called.catch(() => undefined);
  return called;
}

async function callHere(folder: string, words: readonly string[], input = '') {
  const told = { stdout: '', stderr: '' };
  const into = (name: 'stdout' | 'stderr') => ({
    write: (text: string) => (told[name] += text),
  });
  const home = process.cwd();
  process.env['DORLIN_SECRET'] = '';
  process.chdir(folder);
  try {
    const given = Readable.from(input === '' ? [] : [Buffer.from(input)]) as AsyncIterable<Buffer>;
    const exitCode = await withStreams({ out: into('stdout'), err: into('stderr'), input: given }, () =>
      runCommand(commandList, words),
    );
    // As a shell's `$(…)` has it, and execa.
    const trimmed = (text: string) => text.replace(/\n$/, '');
    return { stdout: trimmed(told.stdout), stderr: trimmed(told.stderr), exitCode };
  } finally {
    process.chdir(home);
  }
}

/** Runs `dorlin` in a folder that may change, and expects it to do its work, or to refuse it. */
export function commandsIn(folder: () => string, call: typeof dorlin | typeof dorlinHere = dorlin) {
  const run = async (...words: string[]) => {
    const { stdout, stderr, exitCode } = await call(folder(), words);
    assert.equal(exitCode, 0, stderr);
    return stdout;
  };
  const fails = async (...words: string[]) => {
    const { stderr, stdout, exitCode } = await call(folder(), words);
    assert.equal(exitCode, 2, stdout);
    return stderr;
  };
  return { run, fails };
}
