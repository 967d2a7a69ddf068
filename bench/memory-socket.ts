import type { Server } from 'node:http';
import { Duplex } from 'node:stream';
import { createInterface } from 'node:readline';

/** A connection whose other end is here: what is pushed arrives, what is written is counted as sent. */
class MemorySocket extends Duplex {
  readonly remoteAddress = '192.0.2.7';
  override _read(): void {
    // Pushed as it comes.
  }
  override _write(_chunk: unknown, _encoding: unknown, done: () => void): void {
    done();
  }
  setTimeout = () => this;
  setKeepAlive = () => this;
  setNoDelay = () => this;
  ref = () => this;
  unref = () => this;
  destroySoon = () => this.destroy();
}

/**
 * Asks a server for the same over and over on a connection in memory; prints the seconds of processor time
 * for so many, each time that it is sent a line.
 *
 * @param warm - how many come first, whose answer must be 200
 */
export async function driveByLines(server: Server, request: Buffer, warm: number, name: string): Promise<void> {
  const socket = new MemorySocket();
  let left = 0;
  let done: () => void = () => undefined;
  let status = 0;
  server.on('request', (_request, response) => {
    response.on('close', () => {
      status = response.statusCode;
      left--;
      if (left <= 0) done();
      else setImmediate(() => socket.push(request));
    });
  });
  server.emit('connection', socket);
  const run = (count: number) =>
    new Promise<void>((resolve) => {
      left = count;
      done = resolve;
      socket.push(request);
    });
  await run(warm);
  if (status !== 200) throw new Error(`${name}: ${status}`);
  for await (const line of createInterface(process.stdin)) {
    const before = process.cpuUsage();
    await run(Number(line));
    const { user, system } = process.cpuUsage(before);
    console.log((user + system) / 1e6);
  }
  process.exit(0);
}
