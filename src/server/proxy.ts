import { createHash } from 'node:crypto';
import {
  Agent as HttpAgent,
  request as httpRequest,
  type ClientRequest,
  type IncomingMessage,
  type OutgoingHttpHeaders,
  type RequestListener,
  type ServerResponse,
} from 'node:http';
import { Agent as HttpsAgent, request as httpsRequest } from 'node:https';
import { isIP } from 'node:net';
import type { Duplex } from 'node:stream';
import { pipeline } from 'node:stream';
import { endToEnd, forwardedHeaders } from './proxy-headers.js';

/** Another server as a request listener, and as what takes WebSocket handshakes. */
export interface Proxied {
  readonly listener: RequestListener;
  /** `refused` is called where the other server does not take the handshake; nothing was sent then. */
  readonly upgrade: (request: IncomingMessage, socket: Duplex, head: Buffer, refused: () => void) => void;
  readonly close: () => void;
}

/** What a proxy is told, and whom it asks. */
export interface ProxyOptions {
  /** Whether what the other end of a connection says of the visitor is passed on. @default nobody's is */
  readonly isTrusted?: ((request: IncomingMessage) => boolean) | undefined;
  /** Whether all that comes is for one site; of many, the host that goes on is the one that was judged. @default true */
  readonly isOneSite?: boolean | undefined;
  /**
   * Answers where the other server cannot be reached or answers what is no HTTP (502), or has not begun
   * to answer in time (504). Nothing has been sent then. @default a line of text
   */
  readonly unreachable?: ((request: IncomingMessage, response: ServerResponse, status: 502 | 504) => void) | undefined;
  /** Seconds within which the other server has to take a connection. @default 10 */
  readonly connectSeconds?: number | undefined;
  /** Seconds within which an answer has to begin, from when the request was sent whole. @default 120 */
  readonly answerSeconds?: number | undefined;
}

/** Methods that may be sent again where a kept connection turns out to be closed (RFC 9110 9.2.2). */
const repeatable = new Set(['GET', 'HEAD', 'OPTIONS']);

/**
 * Hands requests on to the server at an origin (`http://127.0.0.1:3000`). Its target must be in
 * normal form; of the client's framing nothing goes on (RFC 9112 section 6): what has a body is sent
 * with a length or in chunks of our own.
 *
 * Nothing is gathered: requests and answers of any length go through as they come, both ways.
 */
export function proxyTo(origin: string, options: ProxyOptions = {}): Proxied {
  const {
    isTrusted = () => false,
    isOneSite = true,
    unreachable = answerPlainly,
    connectSeconds = 10,
    answerSeconds = 120,
  } = options;
  const target = new URL(origin);
  const isSecure = target.protocol === 'https:';
  const send = isSecure ? httpsRequest : httpRequest;
  const agent = isSecure ? new HttpsAgent({ keepAlive: true }) : new HttpAgent({ keepAlive: true });
  const to = {
    hostname: target.hostname.replace(/^\[|\]$/g, ''),
    port: target.port === '' ? undefined : target.port,
    // Addresses are no names (RFC 6066 section 3).
    servername: isSecure && isIP(target.hostname.replace(/^\[|\]$/g, '')) === 0 ? target.hostname : undefined,
  };
  const ask = (request: IncomingMessage, headers: OutgoingHttpHeaders, isKept: boolean) =>
    send({
      ...to,
      method: request.method,
      path: request.url,
      headers,
      agent: isKept ? agent : false,
    });

  const late = new Error('it does not answer in time');
  /** Ends a request whose connection is not taken in time, or whose answer does not begin. */
  const limitTime = (asked: ClientRequest) => {
    const limited = (seconds: number) => setTimeout(() => asked.destroy(late), seconds * 1000);
    let answering: NodeJS.Timeout | undefined;
    const connecting = limited(connectSeconds);
    asked.once('socket', (socket) => {
      const taken = () => {
        clearTimeout(connecting);
      };
      if (socket.connecting) socket.once(isSecure ? 'secureConnect' : 'connect', taken);
      else taken();
    });
    // From when it was sent whole: an upload takes as long as it takes.
    asked.once('finish', () => (answering = limited(answerSeconds)));
    for (const event of ['response', 'upgrade', 'close']) {
      asked.once(event, () => {
        clearTimeout(connecting);
        clearTimeout(answering);
      });
    }
  };

  const listener: RequestListener = (request, response) => {
    const hasBody =
      request.headers['transfer-encoding'] !== undefined || Number(request.headers['content-length'] ?? 0) > 0;
    const headers = forwardedHeaders(request, isTrusted, isOneSite);
    if (hasBody && headers['content-length'] === undefined) headers['transfer-encoding'] = 'chunked';
    const fail = (status: 502 | 504) => {
      if (response.destroyed || response.writableEnded) return;
      // Half an answer must not look whole.
      if (response.headersSent) response.destroy();
      else unreachable(request, response, status);
    };
    const start = (isKept: boolean) => {
      const asked = ask(request, headers, isKept);
      response.once('close', () => {
        if (!response.writableFinished) asked.destroy();
      });
      asked.on('response', (answer) => {
        passAnswer(answer, request, response, fail);
      });
      asked.on('upgrade', (_answer, upstream: Duplex) => {
        // Nobody asked for another protocol.
        upstream.on('error', () => undefined).destroy();
        fail(502);
      });
      limitTime(asked);
      asked.on('error', (error) => {
        const mayRepeat = asked.reusedSocket && !hasBody && repeatable.has(request.method ?? '') && isKept;
        if (error === late) fail(504);
        else if (mayRepeat && !response.headersSent && !response.destroyed) start(false);
        else fail(502);
      });
      if (hasBody) pipeline(request, asked, () => undefined);
      else asked.end();
    };
    start(true);
  };

  return {
    listener,
    upgrade: (request, socket, head, refused) => {
      const headers: OutgoingHttpHeaders = {
        ...forwardedHeaders(request, isTrusted, isOneSite),
        connection: 'Upgrade',
        upgrade: 'websocket',
      };
      const asked = ask(request, headers, false);
      limitTime(asked);
      socket.once('close', () => asked.destroy());
      asked.on('upgrade', (answer, upstream: Duplex, upstreamHead) => {
        upstream.on('error', () => undefined);
        if (!isTaken(answer, request)) {
          upstream.destroy();
          answerBadGateway(socket);
          return;
        }
        socket.write(switching(answer));
        if (head.length > 0) socket.unshift(head);
        if (upstreamHead.length > 0) upstream.unshift(upstreamHead);
        pipeline(socket, upstream, () => socket.destroy());
        pipeline(upstream, socket, () => upstream.destroy());
      });
      asked.on('response', (answer) => {
        answer.on('error', () => undefined);
        answer.destroy();
        refused();
      });
      asked.on('error', () => {
        answerBadGateway(socket);
      });
      asked.end();
    },
    close: () => {
      agent.destroy();
    },
  };
}

/** Passes an answer on, under its own headers but those of its connection. */
function passAnswer(
  answer: IncomingMessage,
  request: IncomingMessage,
  response: ServerResponse,
  fail: (status: 502) => void,
): void {
  if (response.destroyed) {
    answer.destroy();
    return;
  }
  const { statusCode = 502, statusMessage = '', rawHeaders } = answer;
  const pairs = endToEnd(rawHeaders, answer.headers.connection);
  try {
    // A reason that cannot be written is not worth an answer.
    if (/^[\t\x20-\x7e]*$/.test(statusMessage)) response.writeHead(statusCode, statusMessage, pairs);
    else response.writeHead(statusCode, pairs);
  } catch {
    answer.destroy();
    fail(502);
    return;
  }
  if (request.method === 'HEAD') {
    answer.resume();
    response.end();
    return;
  }
  // Where the other server dies half-way, the connection ends: half an answer must not look whole.
  pipeline(answer, response, (error) => {
    if (error) response.destroy();
  });
}

function answerPlainly(_request: IncomingMessage, response: ServerResponse, status: 502 | 504): void {
  response.writeHead(status, { 'content-type': 'text/plain; charset=utf-8' });
  response.end('The site behind this address does not answer.\n');
}

function answerBadGateway(socket: Duplex): void {
  if (socket.writable) socket.end('HTTP/1.1 502 Bad Gateway\r\nconnection: close\r\ncontent-length: 0\r\n\r\n');
}

/** Whether an answer takes the handshake that was sent (RFC 6455 section 4.1). */
function isTaken({ statusCode, headers }: IncomingMessage, request: IncomingMessage): boolean {
  const key = request.headers['sec-websocket-key'] ?? '';
  const accept = createHash('sha1').update(`${key}258EAFA5-E914-47DA-95CA-C5AB0DC85B11`).digest('base64');
  return (
    statusCode === 101 && headers.upgrade?.toLowerCase() === 'websocket' && headers['sec-websocket-accept'] === accept
  );
}

function switching({ rawHeaders, headers }: IncomingMessage): Buffer {
  const pairs = endToEnd(rawHeaders, headers.connection);
  let head = 'HTTP/1.1 101 Switching Protocols\r\nconnection: Upgrade\r\nupgrade: websocket\r\n';
  for (let at = 0; at < pairs.length; at += 2) head += `${pairs[at] ?? ''}: ${pairs[at + 1] ?? ''}\r\n`;
  return Buffer.from(`${head}\r\n`, 'latin1');
}
