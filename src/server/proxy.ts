import type { IncomingMessage, RequestListener } from 'node:http';
import type { Duplex } from 'node:stream';
import { createProxyServer } from 'http-proxy-3';

/** Another server as a request listener, and as a handler of upgrades (web sockets). */
export interface Proxied {
  readonly listener: RequestListener;
  readonly upgrade: (request: IncomingMessage, socket: Duplex, head: Buffer) => void;
  readonly close: () => void;
}

/** Hands requests on to the server at an origin (`http://127.0.0.1:3000`). */
export function proxyTo(origin: string): Proxied {
  const proxy = createProxyServer({ target: origin, xfwd: true, ws: true });
  proxy.on('error', (_error, _request, response) => {
    if ('writeHead' in response) {
      if (!response.headersSent) response.writeHead(502, { 'content-type': 'text/plain' });
      response.end('The site behind this address does not answer.\n');
    } else response.destroy();
  });
  return {
    listener: (request, response) => {
      proxy.web(request, response);
    },
    upgrade: (request, socket, head) => {
      proxy.ws(request, socket, head);
    },
    close: () => {
      proxy.close();
    },
  };
}
