import { mkdir } from 'node:fs/promises';
import { connect } from 'node:net';
import { join } from 'node:path';
import { Redis } from 'ioredis';
import { freePort, startProgram } from './programs.js';
import { until } from './sites.js';

/** A real Redis that keeps what it was told, and may be killed. */
export interface RunningRedis {
  readonly port: number;
  readonly url: string;
  /** Ends it at once, as a power cut would. */
  readonly kill: () => Promise<void>;
  /** Starts it again with what it has kept. */
  readonly start: () => Promise<void>;
  /** A connection, closed with the server. */
  readonly client: () => Redis;
  readonly close: () => Promise<void>;
}

const answers = (port: number) =>
  new Promise<boolean>((resolve) => {
    const socket = connect(port, '127.0.0.1', () => socket.write('PING\r\n'));
    socket.setTimeout(500, () => socket.destroy());
    socket.once('data', (data) => {
      socket.destroy();
      resolve(data.toString().startsWith('+PONG'));
    });
    socket.once('error', () => {
      resolve(false);
    });
    socket.once('close', () => {
      resolve(false);
    });
  });

export async function startRedis(folder: string): Promise<RunningRedis> {
  const port = await freePort();
  const place = join(folder, 'redis');
  await mkdir(place, { recursive: true });
  const settings = ['--port', String(port), '--bind', '127.0.0.1', '--dir', place, '--save', ''];
  const run = () =>
    startProgram('redis-server', [...settings, '--appendonly', 'yes', '--appendfsync', 'always'], () => answers(port));
  let running = await run();
  const clients: Redis[] = [];
  return {
    port,
    url: `redis://127.0.0.1:${port}`,
    kill: async () => {
      if (running.pid !== undefined) process.kill(running.pid, 'SIGKILL');
      await until(async () => !(await answers(port)));
    },
    start: async () => {
      running = await run();
    },
    client: () => {
      const client = new Redis(port, '127.0.0.1', {
        retryStrategy: () => 50,
        maxRetriesPerRequest: 0,
        enableOfflineQueue: false,
        autoResendUnfulfilledCommands: false,
      });
      client.on('error', () => undefined);
      clients.push(client);
      return client;
    },
    close: async () => {
      for (const client of clients) client.disconnect();
      await running.end();
    },
  };
}
