import { spawn } from 'node:child_process';
import { createServer, type AddressInfo } from 'node:net';
import { until } from './sites.js';

/** A port that nobody listens at now. */
export const freePort = () =>
  new Promise<number>((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => {
        resolve(port);
      });
    });
  });

/** Why what needs a Debian package's program is skipped, or no where it is there. */
export const lacksProgram = (name: string): string | false =>
  (process.env['DORLIN_MISSING'] ?? '').split(',').includes(name) ? `${name} is missing` : false;

/** Whether anybody answers at a port. */
export const answersAt = (port: number) => () =>
  fetch(`http://127.0.0.1:${port}/about.html`).then(
    () => true,
    () => false,
  );

/** A program that runs, and is heard. */
export interface RunningProgram {
  readonly pid: number | undefined;
  readonly said: () => string;
  readonly end: () => Promise<void>;
}

/**
 * Starts a program, and waits until it is ready.
 * @param isReady - told what it has said so far
 */
export async function startProgram(
  command: string,
  args: readonly string[],
  isReady: (said: string) => boolean | Promise<boolean>,
  env: NodeJS.ProcessEnv = process.env,
): Promise<RunningProgram> {
  // In a group of its own, so that what it starts ends with it.
  const child = spawn(command, args, { stdio: ['ignore', 'pipe', 'pipe'], env, detached: true });
  const kill = (signal: NodeJS.Signals) => {
    try {
      if (child.pid !== undefined) process.kill(-child.pid, signal);
    } catch {
      // All of it has ended.
    }
  };
  const killAll = () => {
    kill('SIGKILL');
  };
  process.once('exit', killAll);
  let said = '';
  for (const stream of [child.stdout, child.stderr]) stream.on('data', (data: Buffer) => (said += data.toString()));
  let problem = '';
  child.on('error', (error) => (problem = String(error)));
  const ended = new Promise<void>((resolve) =>
    child.once('close', () => {
      resolve();
    }),
  );
  await until(async () => {
    if (problem !== '' || child.exitCode !== null) throw new Error(`${command} ended: ${problem}${said}`);
    return isReady(said);
  });
  return {
    pid: child.pid,
    said: () => said,
    end: async () => {
      kill('SIGTERM');
      const timer = setTimeout(killAll, 3000);
      await ended;
      clearTimeout(timer);
      process.off('exit', killAll);
    },
  };
}
