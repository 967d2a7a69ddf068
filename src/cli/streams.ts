import { AsyncLocalStorage } from 'node:async_hooks';

/** What a command reads and writes: the process's own, or what stands for them where it is called within one. */
export interface Streams {
  readonly out: { write(text: string): unknown };
  readonly err: { write(text: string): unknown };
  readonly input: AsyncIterable<Buffer> & { readonly isTTY?: boolean };
}

const given = new AsyncLocalStorage<Streams>();

/** The streams of the command that is under way. */
export const streams = (): Streams =>
  given.getStore() ?? { out: process.stdout, err: process.stderr, input: process.stdin };

/** Calls a command with other streams than those of the process. */
export const withStreams = <T>(those: Streams, work: () => Promise<T>): Promise<T> => given.run(those, work);
