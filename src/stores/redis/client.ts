import { DorlinError } from '../../core/errors.js';

/**
 * What is used of a connection to Redis (7 or newer); a client of ioredis is one. It is the caller's: its
 * options, its errors and its end are. What comes of it is asked for by `call` alone, so that no command is
 * defined on it.
 */
export interface RedisClient {
  /** As ioredis has it: `ready` when commands are answered, `wait` when it connects with the first. */
  readonly status: string;
  call(command: string, ...args: (string | number)[]): Promise<unknown>;
  /** Another connection of the same kind: one that listens takes no other commands. */
  duplicate(override?: { enableOfflineQueue?: boolean }): RedisClient;
  subscribe(channel: string): Promise<unknown>;
  on(event: 'message', listener: (channel: string, message: string) => void): unknown;
  on(event: 'error', listener: (error: Error) => void): unknown;
  disconnect(): void;
}

/** How long an answer may take, in milliseconds. Whoever waits is a visitor. */
const patience = 2000;

/** Whether it would be of any use to ask now. */
const isThere = ({ status }: RedisClient) => status === 'ready' || status === 'wait';

/** Answers that pass by themselves: a server that starts, or is being replaced. */
const passing = /^(?:LOADING|READONLY|MASTERDOWN|CLUSTERDOWN|TRYAGAIN|BUSY)\b/;

/**
 * Asks Redis, which answers soon or not at all: what nobody can answer now is not kept until somebody can,
 * as the visitor is gone by then.
 *
 * @throws DorlinError `store-away`, `store-unfit`
 */
export async function ask(client: RedisClient, command: string, ...args: (string | number)[]): Promise<unknown> {
  if (!isThere(client)) throw new DorlinError('store-away', `There is no connection to Redis (${client.status}).`);
  let timer: NodeJS.Timeout | undefined;
  try {
    return await Promise.race([
      client.call(command, ...args),
      new Promise((_, reject) => {
        timer = setTimeout(() => {
          reject(new DorlinError('store-away', `Redis did not answer ${command} within ${patience / 1000} seconds.`));
        }, patience);
      }),
    ]);
  } catch (error) {
    if (error instanceof DorlinError) throw error;
    const { name, message } = error instanceof Error ? error : new Error('unknown');
    const [word = ''] = message.split(/\s/, 1);
    // Not its whole words: those have keys and values in them.
    if (name !== 'ReplyError') throw new DorlinError('store-away', `Redis cannot be asked: ${name}.`, { cause: error });
    if (passing.test(message)) throw new DorlinError('store-away', `Redis answers ${word}.`, { cause: error });
    throw new DorlinError('store-unfit', `Redis refuses ${command}: ${word}.`, { cause: error });
  } finally {
    clearTimeout(timer);
  }
}

/** Waits until a connection is there, `seconds` at most. @throws DorlinError `store-away` */
export async function whenThere(client: RedisClient, seconds = 10): Promise<void> {
  const giveUp = performance.now() + seconds * 1000;
  for (;;) {
    try {
      await ask(client, 'PING');
      return;
    } catch (error) {
      const isFinal = error instanceof DorlinError && error.code === 'store-unfit';
      if (isFinal || performance.now() > giveUp) throw error;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
  }
}

/** The text that an answer is; undefined where there is none. @throws DorlinError `store-unfit` */
export function textOf(answer: unknown): string | undefined {
  if (answer === null || answer === undefined) return undefined;
  if (typeof answer === 'string') return answer;
  if (typeof answer === 'number') return String(answer);
  throw strange();
}

/** The texts that an answer is, some of which may not be there. @throws DorlinError `store-unfit` */
export function textsOf(answer: unknown): (string | undefined)[] {
  if (!Array.isArray(answer)) throw strange();
  return answer.map(textOf);
}

/** The number that an answer is. @throws DorlinError `store-unfit` */
export function numberOf(answer: unknown): number {
  const number = Number(textOf(answer) ?? '0');
  if (!Number.isSafeInteger(number)) throw strange();
  return number;
}

/** The lines of a stream (XRANGE), each by its id. @throws DorlinError `store-unfit` */
export function linesOf(answer: unknown): { readonly id: string; readonly line: string }[] {
  if (!Array.isArray(answer)) throw strange();
  return answer.flatMap((one: unknown) => {
    if (!Array.isArray(one)) throw strange();
    const fields = textsOf(one[1]);
    const line = fields[fields.indexOf('line') + 1];
    const id = textOf(one[0]);
    return id === undefined || line === undefined ? [] : [{ id, line }];
  });
}

const strange = () => new DorlinError('store-unfit', 'Redis holds something else than Dorlin writes there.');
