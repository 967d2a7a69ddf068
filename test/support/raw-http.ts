import { connect, type Socket } from 'node:net';

/** An answer as it came over the wire; status 0 if the connection was closed without one. */
export interface RawAnswer {
  readonly status: number;
  readonly head: string;
  readonly body: string;
}

/**
 * Sends request targets exactly as given, byte for byte, which no ordinary client would. One
 * connection, one request after the other; connects again when the server has closed.
 */
export function rawClient(port: number) {
  let socket: Socket | undefined;

  const open = () =>
    new Promise<Socket>((resolve, reject) => {
      const made = connect(port, '127.0.0.1', () => {
        resolve(made);
      });
      // A reset by the server is told by `close` as well.
      made.on('error', reject);
    });

  return {
    async request(target: string, method = 'GET', headers: Readonly<Record<string, string>> = {}): Promise<RawAnswer> {
      socket ??= await open();
      const current = socket;
      const lines = Object.entries({ host: 'site.example', ...headers }).map(
        ([name, value]) => `${name}: ${value}\r\n`,
      );
      return new Promise((resolve) => {
        let received = '';
        const done = (answer: RawAnswer, isOver: boolean) => {
          current.off('data', read);
          current.off('close', closed);
          if (isOver) {
            current.destroy();
            socket = undefined;
          }
          resolve(answer);
        };
        const read = (data: Buffer) => {
          received += data.toString('latin1');
          const end = received.indexOf('\r\n\r\n');
          if (end < 0) return;
          const head = received.slice(0, end);
          const length = method === 'HEAD' ? 0 : Number(/^content-length: (\d+)/im.exec(head)?.[1] ?? 0);
          const body = received.slice(end + 4);
          if (body.length < length) return;
          const status = Number(head.slice(9, 12));
          done({ status, head, body }, /^connection: close/im.test(head));
        };
        const closed = () => {
          done({ status: 0, head: '', body: received }, true);
        };
        current.on('data', read);
        current.once('close', closed);
        current.write(Buffer.from(`${method} ${target} HTTP/1.1\r\n${lines.join('')}\r\n`, 'latin1'));
      });
    },
    close: () => socket?.destroy(),
  };
}

/** Where an answer ends in what was received; undefined while it is not whole. */
export function endOfAnswer(text: string): { readonly end: number; readonly isLast: boolean } | undefined {
  const headEnd = text.indexOf('\r\n\r\n');
  if (headEnd < 0) return undefined;
  const head = text.slice(0, headEnd);
  const isLast = /^connection: close/im.test(head);
  const bodyStart = headEnd + 4;
  if (/^HTTP\/1.1 (?:204|304)/.test(head)) return { end: bodyStart, isLast };
  const length = /^content-length: *(\d+)/im.exec(head)?.[1];
  if (length !== undefined) {
    const end = bodyStart + Number(length);
    return text.length < end ? undefined : { end, isLast };
  }
  if (!/^transfer-encoding: *chunked/im.test(head)) return { end: bodyStart, isLast };
  for (let at = bodyStart; ;) {
    const line = text.indexOf('\r\n', at);
    const size = line < 0 ? -1 : parseInt(text.slice(at, line), 16);
    if (line < 0 || line + 4 + size > text.length) return undefined;
    if (Number.isNaN(size)) return { end: text.length, isLast: true };
    if (size === 0) return { end: line + 4, isLast };
    at = line + 2 + size + 2;
  }
}

/** How many whole answers there are in what was received. */
export function answersIn(text: string): number {
  let count = 0;
  let left = text;
  for (let found = endOfAnswer(left); found !== undefined; found = endOfAnswer(left)) {
    count++;
    left = left.slice(found.end);
  }
  return count;
}

/** All that a server says to some bytes on a connection of their own, until it ends that or three seconds are over. */
export function rawExchange(port: number, sent: string): Promise<string> {
  return new Promise((resolve) => {
    let received = '';
    const socket = connect(port, '127.0.0.1', () => socket.write(Buffer.from(sent, 'utf8')));
    socket.setTimeout(3000, () => socket.destroy());
    socket.on('data', (data) => (received += data.toString('latin1')));
    // A reset is an end too.
    socket.on('error', () => undefined);
    socket.once('close', () => {
      resolve(received);
    });
  });
}
