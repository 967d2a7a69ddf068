import { createHash } from 'node:crypto';
import {
  Agent as HttpAgent,
  request as httpRequest,
  type IncomingMessage,
  type OutgoingHttpHeaders,
  type RequestListener,
  type ServerResponse,
} from 'node:http';
import { Agent as HttpsAgent, request as httpsRequest } from 'node:https';
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

/** Methods that may be sent again where a kept connection turns out to be closed (RFC 9110 9.2.2). */
const repeatable = new Set(['GET', 'HEAD', 'OPTIONS']);

/**
 * Hands requests on to the server at an origin (`http://127.0.0.1:3000`). Its target must be in
 * normal form; of the client's framing nothing goes on (RFC 9112 section 6): what has a body is sent
 * with a length or in chunks of our own.
 *
 * @param isTrusted - whether what the other end of a connection says of the visitor is passed on
 */
export function proxyTo(origin: string, isTrusted: (address: string | undefined) => boolean = () => false): Proxied {
  const target = new URL(origin);
  const isSecure = target.protocol === 'https:';
  const send = isSecure ? httpsRequest : httpRequest;
  const agent = isSecure ? new HttpsAgent({ keepAlive: true }) : new HttpAgent({ keepAlive: true });
  const to = {
    hostname: target.hostname.replace(/^\[|\]$/g, ''),
    port: target.port === '' ? undefined : target.port,
    servername: isSecure ? target.hostname : undefined,
  };
  const ask = (request: IncomingMessage, headers: OutgoingHttpHeaders, isKept: boolean) =>
    send({
      ...to,
      method: request.method,
      path: request.url,
      headers,
      agent: isKept ? agent : false,
    });

  const listener: RequestListener = (request, response) => {
    const hasBody =
      request.headers['transfer-encoding'] !== undefined || Number(request.headers['content-length'] ?? 0) > 0;
    const headers = forwardedHeaders(request, isTrusted);
    if (hasBody && headers['content-length'] === undefined) headers['transfer-encoding'] = 'chunked';
    const start = (isKept: boolean) => {
      const asked = ask(request, headers, isKept);
      response.once('close', () => {
        if (!response.writableFinished) asked.destroy();
      });
      asked.on('response', (answer) => {
        passAnswer(answer, request, response);
      });
      asked.on('upgrade', (_answer, upstream: Duplex) => {
        // Nobody asked for another protocol.
        upstream.on('error', () => undefined).destroy();
        answerUnreachable(response);
      });
      asked.on('error', () => {
        const mayRepeat = asked.reusedSocket && !hasBody && repeatable.has(request.method ?? '') && isKept;
        if (mayRepeat && !response.headersSent && !response.destroyed) start(false);
        else answerUnreachable(response);
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
        ...forwardedHeaders(request, isTrusted),
        connection: 'Upgrade',
        upgrade: 'websocket',
      };
      const asked = ask(request, headers, false);
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
function passAnswer(answer: IncomingMessage, request: IncomingMessage, response: ServerResponse): void {
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
    answerUnreachable(response);
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

function answerUnreachable(response: ServerResponse): void {
  if (response.destroyed || response.writableEnded) return;
  if (response.headersSent) {
    response.destroy();
    return;
  }
  try {
    response.writeHead(502, { 'content-type': 'text/plain; charset=utf-8' });
    response.end('The site behind this address does not answer.\n');
  } catch {
    response.destroy();
  }
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
