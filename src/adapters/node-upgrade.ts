import type { IncomingMessage, Server, ServerResponse } from 'node:http';
import type { Duplex } from 'node:stream';
import type { Guard } from '../guard/guard.js';
import { visitOf } from './node-visit.js';

/** Takes a WebSocket handshake that the guard lets through; `refuse` answers as to a plain request. */
export type UpgradeHandler = (request: IncomingMessage, socket: Duplex, head: Buffer, refuse: () => void) => void;

/**
 * Puts the guard before the upgrades of a server, which Node hands on past every request listener.
 *
 * Only real WebSocket handshakes (RFC 6455 section 4.1) to addresses that are open to the visitor
 * are handed on, and not where the answer would have to be read by the guard. All else that asks
 * for an upgrade is a request like any other (RFC 9110 section 7.8) and goes, without that wish, to
 * the request listener of the server, which must be guarded as well.
 *
 * @example
 * const server = createServer(guardListener(guard, app));
 * guardUpgrades(guard, server, (request, socket, head) => sockets.handleUpgrade(request, socket, head, welcome));
 */
export function guardUpgrades(guard: Guard, server: Server, handler: UpgradeHandler): void {
  // By connection: the answers that are still under way, as requests may follow each other closely.
  const pending = new WeakMap<Duplex, Set<ServerResponse>>();
  server.prependListener('request', ({ socket }: IncomingMessage, response: ServerResponse) => {
    const here = pending.get(socket) ?? new Set();
    pending.set(socket, here.add(response));
    response.once('close', () => here.delete(response));
  });
  /** Waits until everything before is answered: what follows must not overtake it. */
  const isNext = async (socket: Duplex) => {
    for (const response of pending.get(socket) ?? []) {
      if (!response.closed) await new Promise((resolve) => response.once('close', resolve));
    }
  };
  upgradeNothingElse(server);
  server.on('upgrade', (request: IncomingMessage, socket: Duplex, head: Buffer) => {
    // Whoever resets the connection now must not end the process.
    if (!watched.has(socket)) socket.on('error', () => socket.destroy());
    watched.add(socket);
    const refuse = () => {
      if (!socket.destroyed) handOnPlainly(server, request, socket, head);
    };
    if (!isHandshake(request)) {
      void isNext(socket)
        .then(refuse)
        .catch(() => socket.destroy());
      return;
    }
    void isNext(socket)
      .then(() => guard.answer(visitOf(request)))
      .then((verdict) => {
        const mayPass = verdict.kind === 'open' || verdict.kind === 'let-in';
        if (!mayPass || verdict.page?.isCertain === true) refuse();
        else if (!socket.destroyed) {
          request.url = verdict.target;
          handler(request, socket, head, refuse);
        }
      })
      .catch(() => socket.destroy());
  });
}

/**
 * Lets Node, where it asks (24 and newer), take nothing but handshakes for an upgrade. Of all else it would
 * read the body itself (26 does), so that giving the request back would put what follows in its place.
 */
function upgradeNothingElse(server: Server): void {
  const asked = server as { shouldUpgradeCallback?: (request: IncomingMessage) => boolean };
  const { shouldUpgradeCallback: before } = asked;
  if (before === undefined) return;
  asked.shouldUpgradeCallback = (request) => isHandshake(request) && before.call(server, request);
}

/** Connections whose errors are heard; one may ask for an upgrade more than once. */
const watched = new WeakSet<Duplex>();

/** Whether a request is a WebSocket handshake to the letter, and nothing besides. */
function isHandshake({ method, httpVersion, headers }: IncomingMessage): boolean {
  const options = (headers.connection ?? '').split(',').map((name) => name.trim().toLowerCase());
  return (
    method === 'GET' &&
    httpVersion === '1.1' &&
    options.includes('upgrade') &&
    headers.upgrade?.toLowerCase() === 'websocket' &&
    headers['sec-websocket-version'] === '13' &&
    /^[A-Za-z0-9+/]{22}==$/.test(headers['sec-websocket-key'] ?? '') &&
    headers['transfer-encoding'] === undefined &&
    Number(headers['content-length'] ?? 0) === 0
  );
}

/** Gives a request back to its server as if it had not asked for an upgrade, body and all. */
function handOnPlainly(server: Server, request: IncomingMessage, socket: Duplex, head: Buffer): void {
  const { method = 'GET', url = '/', httpVersion, rawHeaders } = request;
  const lines = [`${method} ${url} HTTP/${httpVersion}`];
  for (let at = 0; at < rawHeaders.length; at += 2) {
    const name = rawHeaders[at] ?? '';
    let value = rawHeaders[at + 1] ?? '';
    if (/^(?:upgrade|http2-settings)$/i.test(name)) continue;
    if (/^connection$/i.test(name)) {
      value = value
        .split(',')
        .map((one) => one.trim())
        .filter((one) => one !== '' && !/^(?:upgrade|http2-settings)$/i.test(one))
        .join(', ');
      if (value === '') continue;
    }
    lines.push(`${name}: ${value}`);
  }
  if (head.length > 0) socket.unshift(head);
  socket.unshift(Buffer.from(`${lines.join('\r\n')}\r\n\r\n`, 'latin1'));
  // The server adds its own anew.
  socket.removeAllListeners('timeout');
  server.emit('connection', socket);
}
