/** A site with a web socket and a marked page behind the guard, bundled for each runtime. */
import { serveGuarded, type Runtime } from '../support/fetch-runtime.js';

declare const policyText: string;
declare const runtimeName: Runtime;
declare const portNumber: number;
declare const Deno: { upgradeWebSocket(request: Request): { socket: Socket; response: Response } };
declare const WebSocketPair: new () => { 0: object; 1: Socket & { accept(): void } };

interface Socket {
  send(text: string): void;
  addEventListener(type: 'message', listener: (event: { data: string }) => void): void;
}

const echo = (socket: Socket) => {
  socket.addEventListener('message', ({ data }) => {
    socket.send(`echo ${data}`);
  });
};

const takes: Readonly<Record<Runtime, (request: Request, beside: unknown) => Response>> = {
  deno: (request) => {
    const { socket, response } = Deno.upgradeWebSocket(request);
    echo(socket);
    return response;
  },
  // As Bun has it: where the connection was taken over, there is no answer.
  bun: (request, beside) =>
    (beside as { upgrade(request: Request): boolean }).upgrade(request)
      ? (undefined as unknown as Response)
      : new Response('no handshake', { status: 400 }),
  workerd: () => {
    const { 0: visitor, 1: own } = new WebSocketPair();
    own.accept();
    echo(own);
    return new Response(null, { status: 101, webSocket: visitor } as ResponseInit);
  },
};

const secret = 'a secret of these tests that is long enough';
const websocket = {
  message: (socket: Socket, text: string) => {
    socket.send(`echo ${text}`);
  },
};

export default serveGuarded(
  runtimeName,
  { policy: policyText, secret, port: portNumber },
  (request, beside) => {
    if (new URL(request.url).pathname.endsWith('/live')) return takes[runtimeName](request, beside);
    const asked = request.headers.get('accept-encoding') ?? '';
    return new Response('<p data-dorlin-lock="members">CANARY</p>', {
      headers: { 'content-type': 'text/html', 'x-asked': asked },
    });
  },
  { websocket },
);
