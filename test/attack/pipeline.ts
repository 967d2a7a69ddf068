import { connect, type Socket } from 'node:net';
import { endOfAnswer } from '../support/raw-http.js';

/**
 * Requests after which a server may close the connection, or read no further: what was sent before
 * them on it must be answered first.
 */
const isRisky = (request: string) =>
  !/^\w+ \/[\x21-\x7e]* HTTP\/1\.1\r\n/.test(request) || request.includes('\r\nupgrade: ');

const atOnce = 32;

/**
 * Sends requests to a port, many on one connection at once, each byte as it is given, and gives every
 * answer as it came.
 *
 * @param answered - told of each answer and of what it answers; the answer is empty where the
 * connection was closed without one
 */
export async function sendAll(
  port: number,
  requests: Iterator<string>,
  answered: (answer: string, request: string) => void,
): Promise<void> {
  let held: string | undefined;
  let socket: Socket | undefined;
  /** As many as can be sent at once; one that is risky goes alone. */
  const nextBatch = () => {
    const batch: string[] = [];
    while (batch.length < atOnce) {
      const next = held ?? (requests.next().value as string | undefined);
      held = undefined;
      if (next === undefined) break;
      if (isRisky(next) && batch.length > 0) {
        held = next;
        break;
      }
      batch.push(next);
      if (isRisky(next)) break;
    }
    return batch;
  };
  for (let batch = nextBatch(); batch.length > 0; batch = nextBatch()) {
    while (batch.length > 0) {
      if (socket === undefined || socket.destroyed) socket = await connected(port);
      if (socket === undefined) throw new Error('nobody listens any more');
      const got = await exchange(socket, batch);
      for (const answer of got) answered(answer, batch.shift() ?? '');
      // Closed without a word to the first that was not answered.
      if (got.length === 0) answered('', batch.shift() ?? '');
    }
  }
  socket?.destroy();
}

function connected(port: number): Promise<Socket | undefined> {
  return new Promise((resolve) => {
    const socket = connect(port, '127.0.0.1', () => {
      resolve(socket);
    });
    socket.on('error', () => {
      resolve(undefined);
    });
    socket.setTimeout(5000, () => socket.destroy());
  });
}

/** The answers to what is sent on a connection, until all are there or it is closed. */
function exchange(socket: Socket, batch: readonly string[]): Promise<string[]> {
  return new Promise((resolve) => {
    const answers: string[] = [];
    let received = '';
    const done = () => {
      socket.off('data', read);
      socket.off('close', done);
      resolve(answers);
    };
    const read = (data: Buffer) => {
      received += data.toString('latin1');
      for (let found = endOfAnswer(received); found !== undefined; found = endOfAnswer(received)) {
        answers.push(received.slice(0, found.end));
        received = received.slice(found.end);
        const isOver = answers.length === batch.length;
        if (found.isLast || isRisky(batch[answers.length - 1] ?? '')) socket.destroy();
        if (isOver) done();
        if (found.isLast || isOver) return;
      }
    };
    socket.on('data', read);
    socket.once('close', done);
    socket.write(Buffer.from(batch.join(''), 'latin1'));
  });
}
